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
  const asked = new Map<string, Promise<Probe>>()
  const keyOf = (pin: Pin) => `${pin.x} ${pin.y}`

  /** What is at a pixel of the open variant; all who ask for the same at the same time share one request. */
  function ask(pin: Pin): Promise<Probe> {
    const { id, head } = shots.variant!
    const key = [id, head, keyOf(pin), room.probeSize, room.frame, shots.renderKey].join()
    const known = asked.get(key) ?? fetchProbe(id, pin).finally(() => asked.delete(key))
    asked.set(key, known)
    return known
  }

  async function fetchProbe(id: number, { x, y }: Pin): Promise<Probe> {
    const params = { path: { variant_id: id } }
    const body = { x, y, size: room.probeSize, frame: room.frame }
    return (await told<{ probe: Probe }>(api.POST('/api/variants/{variant_id}/probe', { params, body })))
      .probe
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
      const pins = room.pins
      try {
        const found = await Promise.all(pins.map(ask))
        if (!stale) answered.value = new Map(found.map((probe, i) => [keyOf(pins[i]!), probe]))
      } catch (error) {
        if (!stale) troubles.tell(error)
      }
    },
    { immediate: true },
  )

  const probes = computed(() => room.pins.map((pin) => answered.value.get(keyOf(pin)) ?? null))
  const probe = computed(() => probes.value[room.chosenPin] ?? null)
  return { probe, probes, ask }
})
