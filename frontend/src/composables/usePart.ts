import { computed } from 'vue'
import type { PatchStep } from '@/api/types'
import type { MatteTarget } from '@/stores/mattes'
import { useShot } from '@/stores/shot'

/** One part of the document, as `/lens/glow`: what it is, shown while it moves, kept as one edit. */
export function usePart<Kept extends object>(place: string, neutral: Kept) {
  const shots = useShot()
  const steps = place.split('/').slice(1)

  const now = computed<Kept>(() => {
    const found = steps.reduce<unknown>(
      (part, step) => (part as Record<string, unknown> | undefined)?.[step],
      shots.document ?? undefined,
    )
    return { ...neutral, ...(found as Partial<Kept> | undefined) }
  })
  const patch = (change: object): PatchStep[] =>
    Object.entries(change).map(([field, value]) => ({
      op: 'add',
      path: `${place}/${field}`,
      value: value as unknown,
    }))
  const show = (change: object) => shots.preview(patch(change))
  const keep = (change: object, label: string) => void shots.edit(patch(change), label)

  function matteTarget(words: string): MatteTarget {
    const matte = () => (now.value as { matte?: string | null }).matte ?? null
    return { key: place, words, matte, patch: (next) => patch({ matte: next }) }
  }
  return { now, show, keep, matteTarget }
}
