import { NEUTRAL_LEVEL } from '@/api/defaults'
import type { Level, PatchStep, Variant } from '@/api/types'

export type Axis = 'lights' | 'components' | 'cells' | 'residual'

/** The whole level of a name. The same object as long as nothing changed it, so that only what changed is drawn. */
export function levelOf(variant: Variant, axis: Axis, name: string): Level {
  const kept = axis === 'residual' ? variant.balance?.residual : variant.balance?.[axis]?.[name]
  if (!kept) return NEUTRAL_LEVEL
  const known = whole.get(kept) ?? { ...NEUTRAL_LEVEL, ...kept }
  whole.set(kept, known)
  return known
}
const whole = new WeakMap<object, Level>()

export function isNeutral(level: Level): boolean {
  return JSON.stringify({ ...NEUTRAL_LEVEL, ...level, matte: null }) === JSON.stringify(NEUTRAL_LEVEL)
}

/** The edit that gives a level its new values. */
export function levelPatch(axis: Axis, name: string, level: Level): PatchStep[] {
  const path = axis === 'residual' ? '/balance/residual' : `/balance/${axis}/${pointerStep(name)}`
  return [{ op: 'add', path, value: level }]
}

/** A name as a step of a JSON Pointer. */
export function pointerStep(name: string): string {
  return name.replaceAll('~', '~0').replaceAll('/', '~1')
}

type Tree = Record<string, unknown>

/** A variant with an edit laid over it, for what the page itself shows while something moves; the rest is shared. */
export function withPatch(variant: Variant, patch: PatchStep[]): Variant {
  return patch.reduce((tree, step) => withStep(tree, step), variant as unknown as Tree) as unknown as Variant
}

function withStep(tree: Tree, step: PatchStep): Tree {
  const keys = step.path
    .split('/')
    .slice(1)
    .map((key) => key.replaceAll('~1', '/').replaceAll('~0', '~'))
  return keys.length ? (withChange(tree, keys, step) as Tree) : (step.value as Tree)
}

/** Where an entry of a list is: it is named by its id. */
function placeIn(list: unknown[], name: string): string {
  const at = list.findIndex((entry) => (entry as { id?: string }).id === name)
  return at < 0 ? name : String(at)
}

function withChange(place: unknown, keys: string[], change: PatchStep): unknown {
  const [step, ...deeper] = keys as [string, ...string[]]
  const key = Array.isArray(place) ? placeIn(place, step) : step
  const copy = (Array.isArray(place) ? [...(place as unknown[])] : { ...(place as Tree) }) as Tree
  if (deeper.length) copy[key] = withChange(copy[key] ?? {}, deeper, change)
  else if (Array.isArray(copy)) changeList(copy as unknown[], key, change)
  else if (change.op === 'remove') delete copy[key]
  else copy[key] = change.value
  return copy
}

function changeList(list: unknown[], key: string, step: PatchStep): void {
  const at = key === '-' ? list.length : Number(key)
  if (step.op === 'remove') list.splice(at, 1)
  else list.splice(at, step.op === 'replace' ? 1 : 0, step.value)
}

/** Stops in steps of a hundredth, within what a level can hold. */
export function clampStops(stops: number): number {
  return Math.min(16, Math.max(-16, Math.round(stops * 100) / 100))
}
