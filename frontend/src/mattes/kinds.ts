import type { Matte } from '@/api/types'
import { factorScale, SHARE, STOPS, TURN, type RulerScale } from '@/widgets/ruler'
import type { Way } from '@/stores/mattes'

/** A ruler of a matte: the field that it changes, and its scale for a value. */
export interface MatteRow {
  field: string
  label: string
  scale: (value: number) => RulerScale
  /** How many of the field's own units make one of the ruler's. */
  factor?: number
}

/** A way of making mattes: in a word, what to do in the picture, and the rulers of what it makes. */
interface WayWords {
  way: Way
  words: string
  hint: string
  rows: MatteRow[]
}

const PX: RulerScale = {
  min: 0, max: 512, neutral: 0, step: 1, major: 10, spacing: 8, digits: 1, signed: false, unit: 'px',
} // prettier-ignore
const ANGLE: RulerScale = { ...TURN, min: 0, max: 180, signed: false }
const STOP: RulerScale = { ...STOPS, min: -16, max: 16 }
const WIDTH: RulerScale = { ...STOP, min: 0, signed: false }

/** Scene units may be anything: the ruler has graduations for the size of what it measures. */
function unitScale(value: number): RulerScale {
  const step = 10 ** (Math.floor(Math.log10(Math.max(Math.abs(value), 1e-3))) - 1)
  const max = Math.max(400 * step, Math.abs(value) * 2)
  const digits = Math.max(0, 1 - Math.floor(Math.log10(step)))
  return { min: 0, max, neutral: 0, step, major: 10, spacing: 10, digits, signed: false, unit: 'units' }
}

const row = (field: string, label: string, scale: RulerScale): MatteRow => ({
  field,
  label,
  scale: () => scale,
})
const units = (field: string, label: string): MatteRow => ({ field, label, scale: unitScale })

export const WAYS: WayWords[] = [
  {
    way: 'object',
    words: 'Object',
    hint: 'Hover to see names. Click to add or remove an object; drag a box to add all inside.',
    rows: [],
  },
  {
    way: 'depth',
    words: 'Depth',
    hint: 'Drag in the image from the nearest to the farthest point.',
    rows: [units('near', 'From'), units('far', 'To'), units('soft', 'Soft')],
  },
  {
    way: 'position',
    words: 'Position',
    hint: 'Press on a point of the scene and drag to set the radius.',
    rows: [units('size', 'Radius'), units('soft', 'Soft')],
  },
  {
    way: 'normal',
    words: 'Normal',
    hint: 'Click a surface that faces the direction; drag sideways for a wider angle.',
    rows: [row('angle', 'Angle', ANGLE), row('soft', 'Soft', ANGLE)],
  },
  {
    way: 'hue',
    words: 'Hue',
    hint: 'Press on a colour and drag sideways to set the range.',
    rows: [
      row('centre', 'Hue', { ...ANGLE, max: 360 }),
      row('width', 'Width', { ...ANGLE, max: 360 }),
      row('soft', 'Soft', ANGLE),
      { ...row('least_saturation', 'Minimum saturation', SHARE), factor: 0.01 },
    ],
  },
  {
    way: 'luminance',
    words: 'Luminance',
    hint: 'Press on a pixel and drag sideways to set the range.',
    rows: [row('low', 'From', STOP), row('high', 'To', STOP), row('soft', 'Soft', WIDTH)],
  },
  {
    way: 'shape',
    words: 'Shape',
    hint: 'Click to place points; click the first one to close. Drag points, or the square to feather.',
    rows: [row('feather_px', 'Feather', PX)],
  },
  {
    way: 'ellipse',
    words: 'Ellipse',
    hint: 'Press at the centre and drag. Drag the handles, or the square to feather.',
    rows: [row('feather_px', 'Feather', PX), row('turn', 'Rotation', TURN)],
  },
  {
    way: 'pass',
    words: 'Pass or ID',
    hint: 'Select a mask or ID pass; for IDs, click objects in the image.',
    rows: [],
  },
]

/** What every matte has. */
export const COMMON: MatteRow[] = [
  row('grow_px', 'Grow', { ...PX, min: -512, signed: true }),
  row('soften_px', 'Soften', PX),
  { ...row('gain', 'Gain', factorScale(16, 1)) },
]

/** The rulers of a matte by its kind. */
export function rowsOf(matte: Matte): MatteRow[] {
  if (matte.kind === 'channel') {
    const share = { ...factorScale(16, 0), min: -16 }
    return [row('low', 'Black point', share), row('high', 'White point', { ...share, neutral: 1 })]
  }
  const known = WAYS.find((way) => way.way === matte.kind)
  const boxed = matte.kind === 'position' && Array.isArray(matte.size)
  return (known?.rows ?? []).filter((one) => !(boxed && one.field === 'size'))
}

/** A matte in a sentence. */
export function matteWords(matte: Matte): string {
  switch (matte.kind) {
    case 'object':
      return matte.names?.length ? matte.names.join(', ') : 'no objects'
    case 'id':
      return `${matte.values?.length ?? 0} of ${matte.pass}`
    case 'channel':
      return `pass ${matte.pass}`
    case 'join':
      return JOINED[matte.how](matte.of)
    case 'shape':
      return matte.keys ? `drawn, ${Object.keys(matte.keys).length} keys` : 'drawn'
    default:
      return WAYS.find((way) => way.way === matte.kind)?.words ?? matte.kind
  }
}

type Join = Extract<Matte, { kind: 'join' }>['how']

const JOINED: Record<Join, (of: string[]) => string> = {
  any: (of) => `union of ${of.join(', ')}`,
  all: (of) => `intersection of ${of.join(', ')}`,
  minus: ([first, ...others]) => `${first} minus ${others.join(', ')}`,
  product: (of) => `product of ${of.join(', ')}`,
  sum: (of) => `sum of ${of.join(', ')}`,
}
