import type { Matte, PatchStep, ShelfMatte } from '@/api/types'
import { pointerStep } from '@/document/levels'

type Mattes = Record<string, Matte>

const placeOf = (name: string) => `/mattes/${pointerStep(name)}`

/** The edit that takes a matte away: what it limited counts everywhere, what was joined from it goes on without. */
export function withoutMatte(mattes: Mattes, facts: ShelfMatte[], name: string): PatchStep[] {
  const found = facts.find((one) => one.name === name)
  const freed = (found?.uses ?? []).map((use) => ({ op: 'add' as const, path: `/${use}`, value: null }))
  const joins = (found?.joined_in ?? []).flatMap((joined) => {
    const join = mattes[joined]
    if (join?.kind !== 'join') return []
    const of = join.of.filter((member) => member !== name)
    return of.length
      ? [{ op: 'replace' as const, path: `${placeOf(joined)}/of`, value: of }]
      : withoutMatte(mattes, facts, joined)
  })
  return [...freed, ...joins, { op: 'remove', path: placeOf(name) }]
}

/** The edit that gives a matte another name, wherever it is named. */
export function renamedMatte(mattes: Mattes, facts: ShelfMatte[], name: string, to: string): PatchStep[] {
  const found = facts.find((one) => one.name === name)
  const joins = (found?.joined_in ?? []).flatMap((joined) => {
    const join = mattes[joined]
    if (join?.kind !== 'join') return []
    const of = join.of.map((member) => (member === name ? to : member))
    return [{ op: 'replace' as const, path: `${placeOf(joined)}/of`, value: of }]
  })
  const uses = (found?.uses ?? []).map((use) => ({ op: 'add' as const, path: `/${use}`, value: to }))
  const made = { op: 'add' as const, path: placeOf(to), value: mattes[name] }
  return [made, ...joins, ...uses, { op: 'remove', path: placeOf(name) }]
}
