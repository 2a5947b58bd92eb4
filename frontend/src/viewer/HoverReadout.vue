<script setup lang="ts">
import { useThrottleFn } from '@vueuse/core'
import { computed, shallowRef, watch } from 'vue'
import { api, told } from '@/api/client'
import type { Probe } from '@/api/types'
import { stopsText, threeText } from '@/stores/levels'
import { useRoom } from '@/stores/room'
import { useShot } from '@/stores/shot'

/** What is under the pointer: for a glance; pins keep it. */
const shots = useShot()
const room = useRoom()
const probe = shallowRef<Probe | null>(null)
const words = computed(() => {
  const found = probe.value
  if (!found || !room.hover) return ''
  const stops = found.stops === null ? 'no light' : `${stopsText(found.stops)} stops`
  return `${found.x}, ${found.y}   ${threeText(found.linear, 3)}   ${stops}   display ${threeText(found.display, 0)}`
})
let busy = false

const look: () => void = useThrottleFn(
  async () => {
    const place = room.hover
    const id = shots.variant?.id
    if (!place || id === undefined || busy || shots.draft.length) return
    busy = true
    try {
      const params = { path: { variant_id: id } }
      const body = { ...place, size: 1, frame: room.frame }
      probe.value = (
        await told<{ probe: Probe }>(api.POST('/api/variants/{variant_id}/probe', { params, body }))
      ).probe
    } catch {
      probe.value = null // a glance; the pin tells what is wrong
    } finally {
      busy = false
    }
    if (room.hover && room.hover !== place) void look()
  },
  120,
  true,
)
watch(() => room.hover, look)
</script>

<template>
  <output v-if="words" class="hover" aria-label="Under the pointer">{{ words }}</output>
</template>

<style scoped>
.hover {
  position: absolute;
  left: 0;
  bottom: 0;
  padding: 1px 10px;
  background: var(--surface-1);
  color: var(--text-2);
  font-size: 12px;
  white-space: pre;
  pointer-events: none;
}
</style>
