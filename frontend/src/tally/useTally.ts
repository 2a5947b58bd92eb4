import { onScopeDispose, ref, shallowRef, watch } from 'vue'
import { api, told } from '@/api/client'
import type { Tally } from '@/api/types'
import { useShot } from '@/stores/shot'
import { useTroubles } from '@/stores/troubles'

/** The tally of the variant on the bench, and the address of its sheet of pictures. */
export function useTally() {
  const shots = useShot()
  const troubles = useTroubles()
  const tally = shallowRef<Tally | null>(null)
  const sheet = ref('')
  let stopped = false
  onScopeDispose(() => (stopped = true))

  watch(
    () => [shots.variant?.id, shots.variant?.document.recipe, shots.renderKey],
    async () => {
      const id = shots.variant?.id
      if (id === undefined) return
      try {
        const params = { path: { variant_id: id } }
        const answer = await told<{ tally: Tally | null }>(
          api.GET('/api/variants/{variant_id}/tally', { params }),
        )
        if (stopped) return
        tally.value = answer.tally
        sheet.value = `/api/variants/${id}/tally/sheet?key=${shots.renderKey}-${shots.variant?.head}`
      } catch (error) {
        troubles.tell(error)
      }
    },
    { immediate: true },
  )
  return { tally, sheet }
}
