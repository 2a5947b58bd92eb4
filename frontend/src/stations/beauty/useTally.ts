import { createSharedComposable } from '@vueuse/core'
import { computed, ref, shallowRef, watch } from 'vue'
import { api, frameQuery, unwrap } from '@/api/client'
import type { Tally } from '@/api/types'
import { useWorkspace } from '@/stores/workspace'
import { useShot } from '@/stores/shot'
import { useNotifications } from '@/stores/notifications'

/** The tally of the variant on the bench and the address of its pictures, requested once for all who show it. */
export const useTally = createSharedComposable(() => {
  const shots = useShot()
  const workspace = useWorkspace()
  const notifications = useNotifications()
  const tally = shallowRef<Tally | null>(null)
  const loaded = ref(false)
  const sheet = ref('')

  /** What of the variant the tally depends on; levels and grade do not change it. */
  const decided = computed(() => {
    const { recipe, tally: edits, source } = shots.variant?.document ?? {}
    return JSON.stringify([recipe, edits, source])
  })

  watch(
    () => [shots.variant?.id, decided.value, workspace.frame, workspace.lifted, shots.renderKey],
    async (_now, _before, onCleanup) => {
      let stale = false
      onCleanup(() => (stale = true))
      const id = shots.variant?.id
      if (id === undefined) return
      try {
        const params = { path: { variant_id: id }, query: { frame: workspace.frame } }
        const answer = await unwrap<{ tally: Tally | null }>(
          api.GET('/api/variants/{variant_id}/tally', { params }),
        )
        if (stale) return
        tally.value = answer.tally
        loaded.value = true
        const address = `/api/variants/${id}/tally/sheet?lifted=${workspace.lifted}&${frameQuery(workspace.frame)}key=${shots.renderKey}-${shots.variant?.head}`
        await drawn(address)
        if (!stale) sheet.value = address
      } catch (error) {
        if (!stale) notifications.show(error)
      }
    },
    { immediate: true },
  )
  return { tally, loaded, sheet }
})

/** Wait until a picture has come, so that the last good one stays until then. */
async function drawn(address: string): Promise<void> {
  const image = new Image()
  image.src = address
  await image.decode().catch(() => undefined)
}
