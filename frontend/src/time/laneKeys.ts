import type { Curve, Lane } from '@/api/types'

export type KeysCurve = Extract<Curve, { kind?: 'keys' }>
/** The frames of the keys that are selected, by the pointer of their lane. */
export type KeySelection = ReadonlyMap<string, ReadonlySet<number>>

export const NO_KEYS: KeySelection = new Map()

/** How many keys are selected. */
export const countOf = (selection: KeySelection) =>
  [...selection.values()].reduce((sum, frames) => sum + frames.size, 0)

const within = (lane: Lane, value: number) =>
  Math.min(lane.high, Math.max(lane.low, Number(value.toPrecision(6))))

/** Keys with some of them moved by frames and in value; null where one would meet a key that stays. */
export function movedKeys(
  curve: KeysCurve,
  frames: ReadonlySet<number>,
  by: number,
  rise: number,
  lane: Lane,
) {
  const risen = (value: number | number[]) => {
    if (!rise) return value
    return Array.isArray(value) ? value.map((one) => within(lane, one + rise)) : within(lane, value + rise)
  }
  const rest = curve.keys.filter((key) => !frames.has(key.frame))
  const moved = curve.keys
    .filter((key) => frames.has(key.frame))
    .map((key) => ({ ...key, frame: key.frame + by, value: risen(key.value) }))
  if (moved.some((key) => rest.some((one) => one.frame === key.frame))) return null
  return { ...curve, keys: [...rest, ...moved].sort((a, b) => a.frame - b.frame) } as KeysCurve
}

/** Keys without some of them; null where none would be left. */
export function withoutKeys(curve: KeysCurve, frames: ReadonlySet<number>): KeysCurve | null {
  const keys = curve.keys.filter((key) => !frames.has(key.frame))
  return keys.length ? { ...curve, keys } : null
}
