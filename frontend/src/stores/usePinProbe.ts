import { createSharedComposable } from '@vueuse/core'
import { computed, shallowRef, watch } from 'vue'
import { api, told } from '@/api/client'
import type { Probe } from '@/api/types'
import { useReel } from '@/stores/reel'
import { useRoom, type Pin } from '@/stores/room'
import { useShot } from '@/stores/shot'
import { useTroubles } from '@/stores/troubles'

/** What is at the pins, asked for once by all who show it; null while it is not known for this very place. */
export const usePinProbe = createSharedComposable(() => {
  const shots = useShot()
  const room = useRoom()
  const troubles = useTroubles()
  const reel = useReel()
  const answered = shallowRef<Map<string, Probe>>(new Map())
  const keyOf = (pin: Pin) => `${pin.x} ${pin.y}`

  async function ask(id: number, pin: Pin): Promise<[string, Probe]> {
    const params = { path: { variant_id: id } }
    const body = { ...pin, size: room.probeSize, frame: room.frame }
    const answer = await told<{ probe: Probe }>(
      api.POST('/api/variants/{variant_id}/probe', { params, body }),
    )
    return [keyOf(pin), answer.probe]
  }

  watch(
    () => [
      room.pins,
      room.probeSize,
      room.frame,
      shots.variant?.id,
      shots.variant?.head,
      shots.renderKey,
      reel.playing,
    ],
    async (_now, _before, onCleanup) => {
      let stale = false
      onCleanup(() => (stale = true))
      const id = shots.variant?.id
      if (id === undefined || reel.playing) return
      try {
        const found = await Promise.all(room.pins.map((pin) => ask(id, pin)))
        if (!stale) answered.value = new Map(found)
      } catch (error) {
        if (!stale) troubles.tell(error)
      }
    },
    { immediate: true },
  )

  const probes = computed(() => room.pins.map((pin) => answered.value.get(keyOf(pin)) ?? null))
  const probe = computed(() => probes.value[room.chosenPin] ?? null)
  return { probe, probes }
})
