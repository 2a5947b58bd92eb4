import { displayName } from '@/format'
import { UNTOUCHED_TERM } from '@/api/defaults'
import type { Finding, PatchStep, TermEdit } from '@/api/types'
import { pointerStep } from '@/document/levels'
import { useShot } from '@/stores/shot'

/** Changing the recipe on the tally; each change is one edit that can be undone. */
export function useTermEdits() {
  const shots = useShot()

  function editOf(name: string): TermEdit {
    return { ...UNTOUCHED_TERM, ...shots.document?.tally?.terms?.[name] }
  }

  function patchOf(name: string, change: Partial<TermEdit>): PatchStep[] {
    return [{ op: 'add', path: `/tally/terms/${pointerStep(name)}`, value: { ...editOf(name), ...change } }]
  }

  const show = (name: string, change: Partial<TermEdit>) => shots.preview(patchOf(name, change))
  const keep = (name: string, change: Partial<TermEdit>, what: string) =>
    void shots.edit(patchOf(name, change), `${displayName(name)}: ${what}`)

  /** Move a term one place up or down among `names`. */
  const move = (names: string[], name: string, by: number) => moveTo(names, name, names.indexOf(name) + by)

  /** Move a term to an index among `names`. */
  function moveTo(names: string[], name: string, to: number) {
    const order = [...names]
    const at = order.indexOf(name)
    if (at < 0 || to < 0 || to >= order.length) return
    order.splice(to, 0, ...order.splice(at, 1))
    void shots.edit([{ op: 'replace', path: '/tally/order', value: order }], `${displayName(name)} moved`)
  }

  function addPass(name: string) {
    if (editOf(name).left_out) return keep(name, { left_out: false }, 'added to the sum')
    void shots.edit([{ op: 'add', path: '/tally/added/-', value: name }], `${name} added to the sum`)
  }

  function repair(finding: Finding) {
    void shots.edit(finding.patch as unknown as PatchStep[], finding.repair ?? 'repair')
  }

  function asFound() {
    const value = { terms: {}, added: [], order: [], factor: [1, 1, 1] }
    void shots.edit([{ op: 'replace', path: '/tally', value }], 'Recipe reset to detected')
  }

  return { editOf, show, keep, move, moveTo, addPass, repair, asFound }
}
