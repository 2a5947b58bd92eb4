import { stopsText } from '@/format'
import { NEUTRAL_CDL } from '@/api/defaults'
import type { Correction, Triple } from '@/api/types'
import {
  DEGREES,
  DUV,
  factorScale,
  KELVIN,
  OFFSET,
  readout,
  SHARE,
  STOPS,
  TURN,
  type RulerScale,
} from '@/widgets/ruler'
import { tintOf, tintParts } from '@/widgets/tint'

type Values = Record<string, unknown>

/** A ruler of a correction: what it reads from its fields, and which fields it writes. */
export interface Row {
  label: string
  scale: RulerScale
  read: (values: Values) => number
  write: (value: number, values: Values) => Values
}

/** A ruler of three channels. */
export interface TripleRow {
  key: string
  label: string
  scale: RulerScale
  keeps: 'ratio' | 'distance'
}

/** A kind of correction: its words, its rulers, its sentence, and what it starts as where the list can add it. */
export interface Kind {
  kind: Correction['kind']
  words: string
  hint: string
  start?: Values
  triples?: TripleRow[]
  rows: Row[]
  sentence: (values: Values) => string
}

function field(key: string, label: string, scale: RulerScale): Row {
  return { label, scale, read: (values) => Number(values[key]), write: (value) => ({ [key]: value }) }
}

const RADIUS: RulerScale = {
  min: 0, max: 256, neutral: 0, step: 0.5, major: 10, spacing: 8, digits: 1, signed: false, unit: 'px',
} // prettier-ignore

/** One of the two numbers of a blur. */
function pair(index: 0 | 1, label: string): Row {
  const read = (values: Values) => values.radius_px as [number, number]
  return {
    label,
    scale: RADIUS,
    read: (values) => read(values)[index],
    write: (value, values) => ({ radius_px: read(values).map((old, at) => (at === index ? value : old)) }),
  }
}

const number = (value: unknown, digits = 2) => Number(value).toFixed(digits).replace('-', '−')
const LIGHT = { ...factorScale(16, 0), min: -4 }
const light = (neutral: number): RulerScale => ({ ...LIGHT, neutral })
const STOP: RulerScale = { ...STOPS, min: -16, max: 16 }

const AXES = ['slope', 'offset', 'power'] as const

function cdlSentence(v: Values): string {
  const changed = AXES.filter((key) => JSON.stringify(v[key]) !== JSON.stringify(NEUTRAL_CDL[key]))
  const parts = changed.map((key) => `${key} ${(v[key] as Triple).map((one) => number(one)).join(' ')}`)
  if (v.saturation !== 1) parts.push(`saturation ${number(v.saturation)}`)
  return parts.length ? `CDL ${parts.join(', ')}` : 'CDL, neutral'
}

export const KINDS: Kind[] = [
  {
    kind: 'exposure',
    words: 'exposure',
    hint: 'Brighter or darker, in stops.',
    start: { stops: 0.5 },
    rows: [field('stops', 'Exposure', STOP)],
    sentence: (v) => `exposure ${stopsText(Number(v.stops))} stops`,
  },
  {
    kind: 'cdl',
    words: 'CDL',
    hint: 'ASC CDL: slope, offset and power per channel, then saturation.',
    start: { slope: NEUTRAL_CDL.slope, offset: NEUTRAL_CDL.offset, power: NEUTRAL_CDL.power, saturation: 1 },
    triples: [
      { key: 'slope', label: 'Slope', scale: factorScale(4, 1), keeps: 'ratio' },
      { key: 'offset', label: 'Offset', scale: OFFSET, keeps: 'distance' },
      { key: 'power', label: 'Power', scale: factorScale(4, 1), keeps: 'ratio' },
    ],
    rows: [field('saturation', 'Saturation', factorScale(4, 1))],
    sentence: cdlSentence,
  },
  {
    kind: 'contrast',
    words: 'contrast',
    hint: 'Slope in stops about a pivot.',
    start: { amount: 1.2, pivot: 0.18 },
    rows: [
      field('amount', 'Amount', { ...factorScale(4, 1) }),
      field('pivot', 'Pivot', { ...factorScale(4, 0.18), step: 0.02, digits: 3 }),
    ],
    sentence: (v) => `contrast ${number(v.amount)} about ${v.pivot === 0.18 ? 'grey' : number(v.pivot, 3)}`,
  },
  {
    kind: 'white_balance',
    words: 'white balance',
    hint: 'Gain of a colour temperature; lower is warmer.',
    start: { kelvin: 5600, duv: 0 },
    rows: [field('kelvin', 'Temperature', KELVIN), field('duv', 'Green–magenta', DUV)],
    sentence: (v) =>
      `white balance ${number(v.kelvin, 0)} K${v.duv ? `, ${readout(DUV, Number(v.duv))} Duv` : ''}`,
  },
  {
    kind: 'hue_saturation',
    words: 'hue, saturation',
    hint: 'Hue shift in degrees; saturation and value as factors.',
    start: { hue: 0, saturation: 0.8, value: 1 },
    rows: [
      field('hue', 'Hue shift', TURN),
      field('saturation', 'Saturation', factorScale(4, 1)),
      field('value', 'Value', factorScale(4, 1)),
    ],
    sentence: (v) =>
      `hue ${readout(TURN, Number(v.hue))}°, saturation × ${number(v.saturation)}, value × ${number(v.value)}`,
  },
  {
    kind: 'curves',
    words: 'curves',
    hint: 'A curve in stops (0 = 0.18). Drag points, click to add one, double-click to remove one.',
    start: { master: [[-4, -4], [0, 0.3], [4, 4]] }, // prettier-ignore
    rows: [],
    sentence: (v) => {
      const drawn = ['master', 'red', 'green', 'blue'].filter(
        (key) => (v[key] as unknown[] | undefined)?.length,
      )
      return drawn.length ? `curves: ${drawn.join(', ')}` : 'curves, none set'
    },
  },
  {
    kind: 'range',
    words: 'black, white point',
    hint: 'Maps black and white to new values, with a gamma between; nothing is clipped.',
    start: { black: 0, white: 1, out_black: 0, out_white: 1, gamma: 1 },
    rows: [
      field('black', 'Black', light(0)),
      field('white', 'White', light(1)),
      field('out_black', 'New black', light(0)),
      field('out_white', 'New white', light(1)),
      field('gamma', 'Gamma', { ...factorScale(4, 1), min: 0.1 }),
    ],
    sentence: (v) =>
      `black, white ${number(v.black)}, ${number(v.white)} to ${number(v.out_black)}, ${number(v.out_white)}` +
      (v.gamma === 1 ? '' : `, gamma ${number(v.gamma)}`),
  },
  {
    kind: 'tint',
    words: 'tint',
    hint: 'Blends towards one colour; luminance is preserved.',
    start: { colour: tintOf(35, 60), amount: 0.3 },
    rows: [
      {
        label: 'Colour',
        scale: DEGREES,
        read: (v) => tintParts(v.colour as Triple).hue,
        write: (hue) => ({ colour: tintOf(hue, 60) }),
      },
      {
        label: 'Amount',
        scale: SHARE,
        read: (v) => Number(v.amount) * 100,
        write: (share) => ({ amount: share / 100 }),
      },
    ],
    sentence: (v) => `tint ${number(Number(v.amount) * 100, 0)}%`,
  },
  {
    kind: 'roll_off',
    words: 'highlight roll-off',
    hint: 'Compresses highlights from a start towards a limit; hue is preserved.',
    start: { start: 2, limit: 4 },
    rows: [
      {
        ...field('start', 'Start', STOP),
        write: (start, v) => ({ start: Math.min(start, Number(v.limit) - 0.05) }),
      },
      {
        ...field('limit', 'Limit', STOP),
        write: (limit, v) => ({ limit: Math.max(limit, Number(v.start) + 0.05) }),
      },
    ],
    sentence: (v) => `roll-off from ${stopsText(Number(v.start))} to ${stopsText(Number(v.limit))} stops`,
  },
  {
    kind: 'blur',
    words: 'blur',
    hint: 'Gaussian blur along and across a direction, in full-resolution px.',
    start: { radius_px: [4, 4], turn: 0 },
    rows: [pair(0, 'Along'), pair(1, 'Across'), field('turn', 'Rotation', TURN)],
    sentence: (v) => {
      const [along, across] = v.radius_px as [number, number]
      return along === across
        ? `blur ${number(along, 1)} px`
        : `blur ${number(along, 1)} by ${number(across, 1)} px`
    },
  },
  {
    kind: 'sharpen',
    words: 'sharpen',
    hint: 'Unsharp mask: adds back what a blur of that radius removes.',
    start: { radius_px: 1.5, amount: 0.5 },
    rows: [field('radius_px', 'Width', RADIUS), field('amount', 'Amount', { ...factorScale(4, 0), min: -1 })],
    sentence: (v) => `sharpen ${number(v.amount)} at ${number(v.radius_px, 1)} px`,
  },
  {
    kind: 'config',
    words: 'look or transform',
    hint: 'A look or named transform of the colour config.',
    rows: [],
    sentence: (v) => `${String(v.name)}${v.inverse ? ', inverse' : ''}`,
  },
  {
    kind: 'lut',
    words: 'LUT file',
    hint: 'A LUT file that the variant was imported with.',
    rows: [],
    sentence: (v) => `LUT ${String(v.path).split('/').at(-1)}`,
  },
]

export const KIND_BY_NAME = new Map(KINDS.map((kind) => [kind.kind, kind]))

/** The words of a kind as a title. */
export const titleOf = (kind: Kind) => kind.words.charAt(0).toUpperCase() + kind.words.slice(1)
