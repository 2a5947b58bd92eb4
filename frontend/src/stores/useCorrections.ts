import { computed } from 'vue'
import type { Correction } from '@/api/types'
import { pointerStep } from './levels'
import { useShot } from './shot'

/** The corrections at one place of the path, named by their ids; each change is one edit. */
export function useCorrections(place: string) {
  const shots = useShot()
  const steps = place.split('/').slice(1)

  const all = computed<Correction[]>(() => {
    const found = steps.reduce<unknown>(
      (part, step) => (part as Record<string, unknown> | undefined)?.[step],
      shots.document ?? undefined,
    )
    return (found as Correction[] | undefined) ?? []
  })

  function patch(id: string, change: object) {
    return Object.entries(change).map(([field, value]) => ({
      op: 'replace' as const,
      path: `${place}/${pointerStep(id)}/${field}`,
      value: value as unknown,
    }))
  }

  const show = (id: string, change: object) => shots.preview(patch(id, change))
  const keep = (id: string, change: object, label: string) => void shots.edit(patch(id, change), label)
  const added = (correction: object, first: boolean) => [
    { op: 'add' as const, path: `${place}/${first ? 0 : '-'}`, value: correction },
  ]
  const showNew = (correction: object, first = false) => shots.preview(added(correction, first))
  const add = (correction: object, label: string, first = false) =>
    void shots.edit(added(correction, first), label)
  const drop = (id: string, label: string) =>
    void shots.edit([{ op: 'remove', path: `${place}/${pointerStep(id)}` }], label)

  /** To the place of another. */
  function move(one: Correction, to: Correction, label: string) {
    const at = all.value.indexOf(to)
    void shots.edit(
      [
        { op: 'remove', path: `${place}/${pointerStep(one.id!)}` },
        { op: 'add', path: `${place}/${at}`, value: one },
      ],
      label,
    )
  }

  return { all, move, show, keep, showNew, add, drop }
}
