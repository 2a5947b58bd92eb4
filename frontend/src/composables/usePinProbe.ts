import { createSharedComposable } from '@vueuse/core'
import { computed, ref, shallowRef, watch } from 'vue'
import { api, unwrap } from '@/api/client'
import type { Probe } from '@/api/types'
import { usePlayback } from '@/stores/playback'
import { useWorkspace, type Pin } from '@/stores/workspace'
import { useShot } from '@/stores/shot'
import { useNotifications } from '@/stores/notifications'

/** Pixel values at the pins, requested once for all who show them; null where a pin has none yet. */
export const usePinProbe = createSharedComposable(() => {
  const shots = useShot()
  const workspace = useWorkspace()
  const notifications = useNotifications()
  const playback = usePlayback()
  const answered = shallowRef<Map<string, Probe>>(new Map())
  /** Whether the values shown are older than pins, sample size, frame or document. */
  const loading = ref(false)
  const pending = new Map<string, Promise<Probe>>()
  const keyOf = (pin: Pin) => `${pin.x} ${pin.y}`

  /** The pixel values of the open variant at a pin; callers with the same question share one request. */
  function probeAt(pin: Pin): Promise<Probe> {
    const { id, head } = shots.variant!
    const key = [id, head, keyOf(pin), workspace.probeSize, workspace.frame, shots.renderKey].join()
    const known = pending.get(key) ?? fetchProbe(id, head, pin).finally(() => pending.delete(key))
    pending.set(key, known)
    return known
  }

  async function fetchProbe(id: number, base: number, { x, y }: Pin): Promise<Probe> {
    const params = { path: { variant_id: id } }
    const body = { base, x, y, size: workspace.probeSize, frame: workspace.frame }
    return (await unwrap<{ probe: Probe }>(api.POST('/api/variants/{variant_id}/probe', { params, body })))
      .probe
  }

  watch(
    () => [
      workspace.pins,
      workspace.probeSize,
      workspace.frame,
      shots.variant?.id,
      shots.variant?.head,
      shots.renderKey,
      playback.playing,
    ],
    async (_now, _before, onCleanup) => {
      let stale = false
      onCleanup(() => (stale = true))
      loading.value = false
      const id = shots.variant?.id
      if (id === undefined || playback.playing) return
      const pins = workspace.pins
      loading.value = true
      try {
        const found = await Promise.all(pins.map(probeAt))
        if (!stale) answered.value = new Map(found.map((probe, i) => [keyOf(pins[i]!), probe]))
      } catch (error) {
        if (!stale) notifications.show(error)
      } finally {
        if (!stale) loading.value = false
      }
    },
    { immediate: true },
  )

  const probes = computed(() => workspace.pins.map((pin) => answered.value.get(keyOf(pin)) ?? null))
  const probe = computed(() => probes.value[workspace.chosenPin] ?? null)
  return { probe, probes, loading, probeAt }
})
