<script setup lang="ts">
import { stopsText, threeText } from '@/format'
import { useThrottleFn } from '@vueuse/core'
import { computed, shallowRef, watch } from 'vue'
import { api, unwrap } from '@/api/client'
import type { Probe } from '@/api/types'
import { useWorkspace } from '@/stores/workspace'
import { useShot } from '@/stores/shot'

/** What is under the pointer: for a glance; pins keep it. */
const shots = useShot()
const workspace = useWorkspace()
const probe = shallowRef<Probe | null>(null)
const words = computed(() => {
  const found = probe.value
  if (!found || !workspace.hover) return ''
  const stops = found.stops === null ? 'no light' : `${stopsText(found.stops)} stops`
  return `${found.x}, ${found.y}   ${threeText(found.linear, 3)}   ${stops}   display ${threeText(found.display, 0)}`
})
let busy = false

const look: () => void = useThrottleFn(
  async () => {
    const place = workspace.hover
    const id = shots.variant?.id
    if (!place || id === undefined || busy || shots.draft.patch.length) return
    busy = true
    try {
      const params = { path: { variant_id: id } }
      const body = { base: null, ...place, size: 1, frame: workspace.frame }
      probe.value = (
        await unwrap<{ probe: Probe }>(api.POST('/api/variants/{variant_id}/probe', { params, body }))
      ).probe
    } catch {
      probe.value = null // a glance; the probe reports what is wrong
    } finally {
      busy = false
    }
    if (workspace.hover && workspace.hover !== place) void look()
  },
  120,
  true,
)
watch(() => workspace.hover, look)
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
