import type { Curve, Lane } from '@/api/types'
import { DUV, KELVIN, STOPS, type RulerScale } from '@/widgets/ruler'

export type Kind = NonNullable<Curve['kind']>

export const KINDS: { kind: Kind; word: string; what: string }[] = [
  { kind: 'keys', word: 'Keys', what: 'Values at frames, and how the stretches between them go' },
  { kind: 'pulse', word: 'Pulse', what: 'High for a share of each period, then low' },
  { kind: 'flicker', word: 'Flicker', what: 'Noise around the value' },
  { kind: 'sweep', word: 'Sweep', what: 'A sine around the value' },
  { kind: 'ramp', word: 'Ramp', what: 'From one value to another' },
  { kind: 'follow', word: 'Follow', what: 'Another moving value, later and scaled' },
]

export const FRAMES: RulerScale = {
  min: 0, max: 100000, neutral: 0, step: 1, major: 4, spacing: 12, digits: 1, signed: false, unit: 'frames',
} // prettier-ignore
export const SIGNED_FRAMES: RulerScale = { ...FRAMES, min: -100000, signed: true }
export const PERIOD: RulerScale = { ...FRAMES, min: 0.1, neutral: 24 }
export const RATE: RulerScale = {
  min: 0.1, max: 240, neutral: 8, step: 0.5, major: 4, spacing: 12, digits: 1, signed: false, unit: '/s',
} // prettier-ignore
export const FACTOR: RulerScale = {
  min: -100, max: 100, neutral: 1, step: 0.05, major: 4, spacing: 12, digits: 2, signed: true, unit: '×',
} // prettier-ignore

const LARGEST = 1e5

/** The scale of a moving value: that of its ruler where it has one, else one by its limits. */
export function scaleOf(lane: Lane): RulerScale {
  const field = lane.pointer.split('/').at(-1)
  if (field === 'stops') return STOPS
  if (field === 'kelvin') return KELVIN
  if (field === 'duv') return DUV
  const [min, max] = [Math.max(lane.low, -LARGEST), Math.min(lane.high, LARGEST)]
  const small = max - min <= 2
  return {
    min, max, neutral: lane.now[0] ?? 0, step: small ? 0.01 : 0.1, major: 5, spacing: 12, digits: small ? 3 : 2,
    signed: min < 0, unit: '',
  } // prettier-ignore
}

/** How far a value is moved at first: a stop, or a tenth of itself. */
function swing(lane: Lane): number {
  if (lane.pointer.endsWith('/stops')) return 1
  const value = Math.abs(lane.now[0] ?? 0)
  return Number((value > 0 ? value / 10 : Math.min(1, (lane.high - lane.low) / 10)).toPrecision(3))
}

const whole = (values: readonly number[]) => (values.length > 1 ? [...values] : values[0]!)

/** A new curve of a kind for a value as it is at the present frame; keys are made by the server. */
export function newCurve(
  kind: Exclude<Kind, 'keys'>,
  lane: Lane,
  first: number,
  last: number,
  other: string,
) {
  const by = swing(lane)
  const limit = (value: number) => Math.min(lane.high, Math.max(lane.low, value))
  const now = whole(lane.now)
  const lower = whole(lane.now.map((value) => limit(value - 4 * by)))
  const made: Record<Exclude<Kind, 'keys'>, object> = {
    pulse: { low: lower, high: now, period: 24, duty: 0.5, phase: first, soft: 1 },
    flicker: { amount: by / 4, rate: 8, smooth: 1, seed: 1 },
    sweep: { amount: by, period: 48, phase: first },
    ramp: { from: lower, to: now, start: first, end: Math.max(last, first + 1) },
    follow: { pointer: other },
  }
  return { kind, ...made[kind] } as Curve
}
