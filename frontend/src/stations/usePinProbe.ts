import { createSharedComposable } from '@vueuse/core'
import { computed, shallowRef, watch } from 'vue'
import { api, told } from '@/api/client'
import type { Probe } from '@/api/types'
import { useRoom } from '@/stores/room'
import { useShot } from '@/stores/shot'
import { useTroubles } from '@/stores/troubles'

const SIZE = 5

/** What is at the pin, asked for once by all who show it; null while it is not known for this very place. */
export const usePinProbe = createSharedComposable(() => {
  const shots = useShot()
  const room = useRoom()
  const troubles = useTroubles()
  const answered = shallowRef<Probe | null>(null)

  watch(
    () => [room.pin, room.frame, shots.variant?.id, shots.variant?.head, shots.renderKey],
    async (_now, _before, onCleanup) => {
      let stale = false
      onCleanup(() => (stale = true))
      const id = shots.variant?.id
      if (!room.pin || id === undefined) return void (answered.value = null)
      try {
        const params = { path: { variant_id: id } }
        const body = { ...room.pin, size: SIZE, frame: room.frame }
        const answer = await told<{ probe: Probe }>(
          api.POST('/api/variants/{variant_id}/probe', { params, body }),
        )
        if (!stale) answered.value = answer.probe
      } catch (error) {
        if (!stale) troubles.tell(error)
      }
    },
    { immediate: true },
  )

  const probe = computed(() => {
    const { value } = answered
    return value && room.pin && value.x === room.pin.x && value.y === room.pin.y ? value : null
  })
  return { probe }
})
