import { computed } from 'vue'
import type { PatchStep } from '@/api/types'
import { pointerStep } from '@/document/levels'
import type { MatteTarget } from '@/stores/mattes'
import { useShot } from '@/stores/shot'
import { withFreeIds } from '@/document/entryIds'

export interface Entry {
  id?: string
  kind?: string
  matte?: string | null
}

/** What lies a step below a part of the document; entries of lists go by their ids. */
function below(part: unknown, step: string): unknown {
  if (Array.isArray(part)) return (part as Entry[]).find((entry) => entry.id === step)
  return (part as Record<string, unknown> | undefined)?.[step]
}

/** The entries of a list of the document, named by their ids; each change is one edit. */
export function useEntries<Kept extends Entry>(place: string) {
  const shots = useShot()
  const steps = place.split('/').slice(1)

  const all = computed<Kept[]>(() => {
    const found = steps.reduce<unknown>(below, shots.document ?? undefined)
    return (found as Kept[] | undefined) ?? []
  })

  const at = (id: string) => `${place}/${pointerStep(id)}`
  // An entry that is not saved yet may lack fields that have defaults: to add one replaces it where it is there.
  const patch = (id: string, change: object): PatchStep[] =>
    Object.entries(change).map(([field, value]) => ({
      op: 'add',
      path: `${at(id)}/${field}`,
      value: value as unknown,
    }))

  const show = (id: string, change: object) => shots.preview(patch(id, change))
  const keep = (id: string, change: object, label: string) => void shots.edit(patch(id, change), label)
  const drop = (id: string, label: string) => void shots.edit([{ op: 'remove', path: at(id) }], label)

  /** Add entries at the end as one edit. Returns their ids, by which they can be edited before they are saved. */
  function add<New extends Entry>(entries: New[], label: string): string[] {
    const identified = withFreeIds(entries, all.value)
    void shots.edit(
      identified.map((entry) => ({ op: 'add' as const, path: `${place}/-`, value: entry })),
      label,
    )
    return identified.map((entry) => entry.id!)
  }

  /** To the place of another. */
  function move(one: Kept, to: Kept, label: string) {
    const target = all.value.indexOf(to)
    void shots.edit(
      [
        { op: 'remove', path: at(one.id!) },
        { op: 'add', path: `${place}/${target}`, value: one },
      ],
      label,
    )
  }

  /** An entry as what a matte can limit. */
  function matteTarget(id: string, words: string): MatteTarget {
    return {
      key: `${place} ${id}`,
      words,
      matte: () => all.value.find((one) => one.id === id)?.matte ?? null,
      patch: (matte) => patch(id, { matte }),
    }
  }

  return { all, move, show, keep, add, drop, matteTarget }
}
