import type { Layer } from '@/api/types'
import { factorScale, SHARE, STOPS, TURN, type RulerScale } from '@/widgets/ruler'

/** The rulers of each kind of layer as the bench shows them. `unit`: what a shown unit is in the document. */
export interface LayerRuler {
  field: string
  label: string
  scale: RulerScale
  unit?: number
}

export interface Choice {
  field: string
  label: string
  options: { value: string | null; words: string }[]
}

const PIXELS: RulerScale = {
  min: 0, max: 256, neutral: 0, step: 0.5, major: 4, spacing: 12, digits: 1, signed: false, unit: 'px',
} // prettier-ignore
export const MOVE: RulerScale = { ...PIXELS, min: -20000, max: 20000, step: 4, major: 5, signed: true }
export const GROW: RulerScale = { ...PIXELS, min: -256, step: 1, major: 4, digits: 0, signed: true }
export const SOFTEN: RulerScale = PIXELS
export const UNITS: RulerScale = {
  min: 0.01, max: 10000, neutral: 20, step: 1, major: 5, spacing: 10, digits: 2, signed: false, unit: 'units',
} // prettier-ignore
export const SCALE: RulerScale = { ...factorScale(100, 1), min: 0.01, unit: '×' }
const OPACITY: RulerScale = { ...SHARE, neutral: 100 }

const OPACITY_ROW: LayerRuler = { field: 'opacity', label: 'Opacity', scale: OPACITY, unit: 100 }

export const RULERS: Record<Layer['kind'], LayerRuler[]> = {
  cg: [OPACITY_ROW],
  render: [OPACITY_ROW],
  picture: [OPACITY_ROW, { field: 'turn', label: 'Rotation', scale: TURN }],
  solid: [OPACITY_ROW],
  shadow: [
    { field: 'strength', label: 'Strength', scale: OPACITY, unit: 100 },
    { field: 'soft_px', label: 'Soften', scale: SOFTEN },
  ],
  reflection: [OPACITY_ROW, { field: 'level', label: 'Level', scale: STOPS }],
}

const words = (...values: string[]) => values.map((value) => ({ value, words: value.replace('_', ' ') }))
const OPERATORS = words('over', 'under', 'add', 'multiply', 'screen', 'hold_out')
const BY_DEPTH = { value: 'depth', words: 'merge by depth' }

export const FIT: Choice = { field: 'fit', label: 'Fit', options: words('fill', 'fit', 'stretch', 'actual') }
export const ALPHA: Choice = {
  field: 'alpha',
  label: 'Alpha',
  options: [{ value: null, words: 'by file type' }, ...words('associated', 'unassociated', 'none')],
}
export const AFTER_END: Choice = {
  field: 'after_end',
  label: 'After the end',
  options: [
    { value: 'hold', words: 'hold' },
    { value: 'loop', words: 'loop' },
    { value: 'none', words: 'nothing' },
  ],
}
export const HOLDS: Choice = {
  field: 'holds',
  label: 'The pass holds',
  options: words('light', 'dark', 'alpha'),
}

/** How a layer can be laid in. */
export function operatorOf(layer: Layer): Choice | null {
  if (layer.kind === 'shadow') return null
  const flat = layer.kind === 'picture' || layer.kind === 'solid'
  const merges = layer.kind === 'render' || (flat && layer.distance != null)
  return { field: 'operator', label: 'Operator', options: merges ? [...OPERATORS, BY_DEPTH] : OPERATORS }
}
