import type { Level, PatchStep, Variant } from '@/api/types'

export type Axis = 'lights' | 'components' | 'cells'

export const NEUTRAL: Level = {
  stops: 0,
  multiplier: 1,
  tint: [1, 1, 1],
  kelvin: 6500,
  mute: false,
  solo: false,
}

export function levelOf(variant: Variant, axis: Axis, name: string): Level {
  return { ...NEUTRAL, ...variant.balance?.[axis]?.[name] }
}

export function isNeutral(level: Level): boolean {
  return JSON.stringify({ ...NEUTRAL, ...level }) === JSON.stringify(NEUTRAL)
}

/** The edit that gives a level its new values. */
export function levelPatch(axis: Axis, name: string, level: Level): PatchStep[] {
  return [{ op: 'add', path: `/balance/${axis}/${pointerStep(name)}`, value: level }]
}

/** A name as a step of a JSON Pointer. */
export function pointerStep(name: string): string {
  return name.replaceAll('~', '~0').replaceAll('/', '~1')
}

/** A variant with an edit of levels laid over it, for what the page itself shows while a level moves. */
export function withPatch(variant: Variant, patch: PatchStep[]): Variant {
  if (!patch.length) return variant
  const copy = structuredClone(variant) as Variant
  for (const step of patch) applyStep(copy as unknown as Record<string, unknown>, step)
  return copy
}

function applyStep(target: Record<string, unknown>, step: PatchStep): void {
  const keys = step.path
    .split('/')
    .slice(1)
    .map((key) => key.replaceAll('~1', '/').replaceAll('~0', '~'))
  const last = keys.pop()
  if (last === undefined) return void Object.assign(target, step.value)
  let place = target
  for (const key of keys) place = (place[key] ??= {}) as Record<string, unknown>
  if (Array.isArray(place) && last === '-') place.push(step.value)
  else if (step.op === 'remove') delete place[last]
  else place[last] = step.value
}

export function stopsText(stops: number): string {
  if (Math.abs(stops) < 0.005) return '0'
  return `${stops > 0 ? '+' : '−'}${Math.abs(stops).toFixed(2)}`
}

/** A name as people read it: quay_lamps is Quay lamps. */
export function spoken(name: string): string {
  const words = name.replaceAll('_', ' ')
  return words.charAt(0).toUpperCase() + words.slice(1)
}

export function percent(share: number): string {
  const value = share * 100
  if (value >= 9.95) return `${value.toFixed(0)}\u00a0%`
  return value >= 0.05 ? `${value.toFixed(1)}\u00a0%` : value > 0 ? '<\u00a00.1\u00a0%' : '0\u00a0%'
}
