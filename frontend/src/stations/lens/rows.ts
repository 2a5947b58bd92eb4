import type { Lens } from '@/api/types'
import { factorScale, STOPS, TURN, type RulerScale } from '@/widgets/ruler'

/** The effects of a lens as the bench shows them, in the order in which light meets them. */

export type EffectName = keyof Lens
export interface LensRuler {
  field: string
  label: string
  scale: RulerScale
  /** What a shown unit is in the document. */
  unit?: number
  /** While it is set, what is brighter than it is marked in the picture. */
  marksOver?: boolean
}
export interface LensEffect {
  name: EffectName
  title: string
  says: string
  rulers: LensRuler[]
  flags: { field: string; label: string }[]
  /** Whether a matte can limit it, and what that then limits. */
  where?: string
}

const PIXELS: RulerScale = { min: 0, max: 4096, neutral: 0, step: 4, major: 5, spacing: 12, digits: 1, signed: false, unit: 'px' } // prettier-ignore
const CURVE: RulerScale = { min: -1, max: 1, neutral: 0, step: 0.01, major: 5, spacing: 12, digits: 3, signed: true, unit: '' } // prettier-ignore
const SHIFT: RulerScale = { ...PIXELS, min: -64, max: 64, step: 0.5, major: 4, digits: 2, signed: true }
const amount = (neutral: number) => ({ ...factorScale(16, neutral) })
const COUNT: RulerScale = { min: 1, max: 16, neutral: 4, step: 1, major: 5, spacing: 22, digits: 0, signed: false, unit: '' } // prettier-ignore
const SHARE: RulerScale = { min: 0, max: 100, neutral: 50, step: 5, major: 4, spacing: 14, digits: 0, signed: false, unit: '%' } // prettier-ignore

export const EFFECTS: LensEffect[] = [
  {
    name: 'distortion',
    title: 'Distortion',
    says: 'Radial lens distortion. Drag its centre in the image.',
    rulers: [
      { field: 'k1', label: 'k1', scale: CURVE },
      { field: 'k2', label: 'k2', scale: CURVE },
    ],
    flags: [{ field: 'fill', label: 'Extend edges' }],
  },
  {
    name: 'aberration',
    title: 'Chromatic aberration',
    says: 'Shifts red and blue towards the corners. Drag the handle at the right edge.',
    rulers: [{ field: 'shift_px', label: 'Shift at corners', scale: SHIFT }],
    flags: [],
  },
  {
    name: 'glow',
    title: 'Glow',
    says: 'A soft halo around light above the threshold. Drag the rim to set its size.',
    rulers: [
      { field: 'threshold', label: 'Threshold', scale: STOPS, marksOver: true },
      { field: 'amount', label: 'Amount', scale: amount(0.2) },
      { field: 'size_px', label: 'Size', scale: { ...PIXELS, min: 1, neutral: 64 } },
    ],
    flags: [],
    where: 'glow source',
  },
  {
    name: 'glare',
    title: 'Glare',
    says: 'Streaks from light above the threshold. Drag the end of a streak in the image.',
    rulers: [
      { field: 'threshold', label: 'Threshold', scale: { ...STOPS, neutral: 2 }, marksOver: true },
      { field: 'amount', label: 'Amount', scale: amount(0.2) },
      { field: 'streaks', label: 'Streaks', scale: COUNT },
      { field: 'length_px', label: 'Length', scale: { ...PIXELS, min: 1, neutral: 128 } },
      { field: 'turn', label: 'Rotation', scale: TURN },
      { field: 'soft_px', label: 'Softness', scale: { ...PIXELS, max: 256, step: 0.5, neutral: 2 } },
    ],
    flags: [],
    where: 'glare source',
  },
  {
    name: 'dirt',
    title: 'Dirt',
    says: 'A dirt image makes glow and glare stronger where it is lightTheme. Drag the handle at the left.',
    rulers: [{ field: 'amount', label: 'Amount', scale: amount(1) }],
    flags: [],
  },
  {
    name: 'vignette',
    title: 'Vignette',
    says: 'Darkens or brightens away from a centre. Drag the centre, or the rim to set the size.',
    rulers: [
      { field: 'stops', label: 'Amount at edge', scale: { ...STOPS, neutral: -1 } },
      { field: 'size', label: 'Size', scale: { ...factorScale(16, 1), min: 0.01 } },
      { field: 'roundness', label: 'Roundness', scale: SHARE, unit: 100 },
      { field: 'soft', label: 'Softness', scale: SHARE, unit: 100 },
    ],
    flags: [],
    where: 'the vignette',
  },
  {
    name: 'grain',
    title: 'Grain',
    says: 'Film grain in stops, repeatable by seed. Drag the rim to set the grain size.',
    rulers: [
      { field: 'amount', label: 'Amount', scale: { ...factorScale(4, 0.1), unit: 'stops' } },
      { field: 'size_px', label: 'Size', scale: { ...PIXELS, min: 0.5, max: 16, step: 0.1, neutral: 1.5 } },
      { field: 'response', label: 'Highlight reduction', scale: SHARE, unit: 100 },
      { field: 'seed', label: 'Seed', scale: { ...COUNT, min: 0, max: 999, neutral: 0 } },
    ],
    flags: [],
    where: 'the grain',
  },
]
