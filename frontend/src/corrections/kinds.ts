import type { Correction, Triple } from '@/api/types'
import {
  DEGREES,
  DUV,
  factorScale,
  KELVIN,
  readout,
  SHARE,
  STOPS,
  TURN,
  type RulerScale,
} from '@/parts/ruler'
import { tintOf, tintParts } from '@/parts/tint'
import { stopsText } from '@/stores/levels'

type Values = Record<string, unknown>

/** A ruler of a correction: what it reads from its fields, and which fields it writes. */
export interface Row {
  label: string
  scale: RulerScale
  read: (values: Values) => number
  write: (value: number, values: Values) => Values
}

/** A kind of correction that the list can add: its words, what it begins as, its rulers, and what it says. */
export interface Kind {
  kind: Correction['kind']
  words: string
  hint: string
  start: Values
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

export const KINDS: Kind[] = [
  {
    kind: 'exposure',
    words: 'exposure',
    hint: 'All of it brighter or darker, in stops.',
    start: { stops: 0.5 },
    rows: [field('stops', 'Exposure by', STOP)],
    sentence: (v) => `exposure ${stopsText(Number(v.stops))} stops`,
  },
  {
    kind: 'contrast',
    words: 'contrast',
    hint: 'A slope in stops about a pivot: everything brighter than it gets brighter, everything darker darker.',
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
    hint: 'The gain of a colour temperature: fewer kelvin are warmer; green and magenta beside it.',
    start: { kelvin: 5600, duv: 0 },
    rows: [field('kelvin', 'White', KELVIN), field('duv', 'Magenta to green', DUV)],
    sentence: (v) =>
      `white balance ${number(v.kelvin, 0)} K${v.duv ? `, ${readout(DUV, Number(v.duv))} Duv` : ''}`,
  },
  {
    kind: 'hue_saturation',
    words: 'hue and saturation',
    hint: 'Hue turned by degrees, saturation and value multiplied.',
    start: { hue: 0, saturation: 0.8, value: 1 },
    rows: [
      field('hue', 'Turn of hue', TURN),
      field('saturation', 'Saturation by', factorScale(4, 1)),
      field('value', 'Value by', factorScale(4, 1)),
    ],
    sentence: (v) =>
      `hue ${readout(TURN, Number(v.hue))}°, saturation × ${number(v.saturation)}, value × ${number(v.value)}`,
  },
  {
    kind: 'curves',
    words: 'curves',
    hint: 'A curve in stops around grey; drag its points, click to add one, double click to take one away.',
    start: { master: [[-4, -4], [0, 0.3], [4, 4]] }, // prettier-ignore
    rows: [],
    sentence: (v) => {
      const drawn = ['master', 'red', 'green', 'blue'].filter(
        (key) => (v[key] as unknown[] | undefined)?.length,
      )
      return drawn.length ? `curves: ${drawn.join(', ')}` : 'curves, none drawn'
    },
  },
  {
    kind: 'range',
    words: 'black and white point',
    hint: 'What was black and white becomes a new black and white, with a gamma between; nothing is clipped.',
    start: { black: 0, white: 1, out_black: 0, out_white: 1, gamma: 1 },
    rows: [
      field('black', 'Black', light(0)),
      field('white', 'White', light(1)),
      field('out_black', 'Black becomes', light(0)),
      field('out_white', 'White becomes', light(1)),
      field('gamma', 'Gamma', { ...factorScale(4, 1), min: 0.1 }),
    ],
    sentence: (v) =>
      `${number(v.black)} to ${number(v.white)} becomes ${number(v.out_black)} to ${number(v.out_white)}` +
      (v.gamma === 1 ? '' : `, gamma ${number(v.gamma)}`),
  },
  {
    kind: 'tint',
    words: 'tint',
    hint: 'The picture painted with one colour, its luminance kept, by a share.',
    start: { colour: tintOf(35, 60), amount: 0.3 },
    rows: [
      {
        label: 'Colour',
        scale: DEGREES,
        read: (v) => tintParts(v.colour as Triple).hue,
        write: (hue) => ({ colour: tintOf(hue, 60) }),
      },
      {
        label: 'Share',
        scale: SHARE,
        read: (v) => Number(v.amount) * 100,
        write: (share) => ({ amount: share / 100 }),
      },
    ],
    sentence: (v) => `tint ${number(Number(v.amount) * 100, 0)} %`,
  },
  {
    kind: 'roll_off',
    words: 'highlight roll-off',
    hint: 'Highlights from a start on come near a limit and never reach it; hues stay.',
    start: { start: 2, limit: 4 },
    rows: [
      {
        ...field('start', 'From', STOP),
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
    hint: 'A Gaussian; its width along a direction and across it, in pixels of the full picture.',
    start: { radius_px: [4, 4], turn: 0 },
    rows: [pair(0, 'Along'), pair(1, 'Across'), field('turn', 'Turn', TURN)],
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
    hint: 'More of what a blur of that width would take away.',
    start: { radius_px: 1.5, amount: 0.5 },
    rows: [field('radius_px', 'Width', RADIUS), field('amount', 'Amount', { ...factorScale(4, 0), min: -1 })],
    sentence: (v) => `sharpen ${number(v.amount)} at ${number(v.radius_px, 1)} px`,
  },
]

export const KIND_BY_NAME = new Map(KINDS.map((kind) => [kind.kind, kind]))
