import type { Curve, PatchStep, Variant } from '@/api/types'
import { pointerStep, withPatch } from './levels'

/** The values of what moves in a variant, at a frame: by pointer, one number or one for each channel. */
export interface Settled {
  variant: number
  frame: number
  values: Record<string, number | number[]>
}

type Table = Record<string, unknown>

const plain = (pointer: string) => pointer.replace(/^\/+|\/+$/g, '')
const stepsOf = (pointer: string) =>
  plain(pointer)
    .split('/')
    .map((step) => step.replaceAll('~1', '/').replaceAll('~0', '~'))

/** What stands at a pointer; entries of lists go by their ids. */
function valueAt(document: Variant, pointer: string): unknown {
  return stepsOf(pointer).reduce<unknown>((part, step) => {
    if (Array.isArray(part))
      return (
        (part as { id?: string }[]).find((entry) => entry.id === step) ?? (part as unknown[])[Number(step)]
      )
    return (part as Table | undefined)?.[step]
  }, document)
}

/** Levels may move before the document names their light or component; else the part must be there. */
function hasPlace(document: Variant, pointer: string): boolean {
  const above = stepsOf(pointer).slice(0, -1)
  if (above[0] === 'balance' && ['lights', 'components', 'cells'].includes(above[1] ?? '')) return true
  return valueAt(document, above.map(pointerStep).join('/')) !== undefined
}

/** The document as it is at a frame: with plain numbers where something moves. */
export function settledDocument(document: Variant, settled: Settled | null): Variant {
  if (!settled) return document
  const steps = Object.entries(settled.values)
    .filter(([pointer]) => hasPlace(document, pointer))
    .map(([pointer, value]): PatchStep => ({ op: 'add', path: `/${pointer}`, value }))
  return withPatch(document, steps)
}

/** The path of a curve in the document, by the pointer that it moves. */
export function curvePath(document: Variant, pointer: string): string {
  const known = Object.keys(document.curves ?? {}).find((name) => plain(name) === pointer)
  return `/curves/${pointerStep(known ?? pointer)}`
}

export function curveOf(document: Variant | null, pointer: string): Curve | null {
  const found = Object.entries(document?.curves ?? {}).find(([name]) => plain(name) === pointer)
  return (found?.[1] as Curve | undefined) ?? null
}

type KeysCurve = Extract<Curve, { kind?: 'keys' }>

/** Keys with one at a frame: a new one, or another value of the one that is there. */
export function withKey(curve: KeysCurve, frame: number, value: number | number[]): KeysCurve {
  const there = curve.keys.find((key) => key.frame === frame)
  const key = { ease: 'smooth', ...there, frame, value } as KeysCurve['keys'][number]
  const keys = [...curve.keys.filter((one) => one.frame !== frame), key].sort((a, b) => a.frame - b.frame)
  return { ...curve, keys }
}

/**
 * An edit that was made on the document as it is at a frame, on the document itself: what moves by keys gets a key
 * there, flicker and sweep another number of their own. `refused`: what moves otherwise, which no value can set.
 * `values`: what moves, as it is at the frame then.
 */
export function editOverTime(document: Variant, settled: Settled | null, patch: PatchStep[]) {
  const refused: string[] = []
  const values: Settled['values'] = {}
  if (!settled || !patch.length) return { patch, refused, values }
  const touched = withPatch(document, patch)
  const added: PatchStep[] = []
  for (const [pointer, now] of Object.entries(settled.values)) {
    const [own, after] = [valueAt(document, pointer), valueAt(touched, pointer)]
    if (after === undefined || same(after, own)) continue
    const back: PatchStep[] = own === undefined ? [] : [{ op: 'add', path: `/${pointer}`, value: own }]
    const curve = curveOf(touched, pointer)
    if (!curve) continue
    if (same(after, now)) added.push(...back)
    else if (curve.kind === 'keys' || curve.kind === 'flicker' || curve.kind === 'sweep') {
      values[pointer] = after as number | number[]
      added.push(...(curve.kind === 'keys' ? back : []))
      added.push(
        curve.kind === 'keys'
          ? {
              op: 'add',
              path: curvePath(touched, pointer),
              value: withKey(curve, settled.frame, values[pointer]),
            }
          : { op: 'add', path: `/${pointer}`, value: shifted(own, after, now) },
      )
    } else {
      added.push(...back)
      refused.push(pointer)
    }
  }
  return { patch: [...patch, ...added], refused, values }
}

const same = (one: unknown, other: unknown) => JSON.stringify(one) === JSON.stringify(other)

/** The own number that gives `after` where `own` gives `now`. */
function shifted(own: unknown, after: unknown, now: unknown): number | number[] {
  if (Array.isArray(after))
    return after.map((value: number, index) => {
      const before = (own as number[] | undefined)?.[index] ?? 0
      return before + value - (now as number[])[index]!
    })
  return ((own as number | undefined) ?? 0) + (after as number) - (now as number)
}
