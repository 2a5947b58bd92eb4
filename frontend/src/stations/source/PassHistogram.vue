<script setup lang="ts">
import { computed, shallowRef, watch } from 'vue'
import { api, unwrap } from '@/api/client'
import type { Histogram } from '@/api/types'
import { useWorkspace } from '@/stores/workspace'
import { useShot } from '@/stores/shot'
import { useNotifications } from '@/stores/notifications'

/** How often each brightness occurs in a pass, in stops around middle grey. */
const props = defineProps<{ name: string }>()
const shots = useShot()
const workspace = useWorkspace()
const notifications = useNotifications()
const histogram = shallowRef<Histogram | null>(null)
const WIDTH = 320
const HEIGHT = 56

watch(
  () => [props.name, workspace.frame, shots.pictureKey],
  async (_now, _before, onCleanup) => {
    let stale = false
    onCleanup(() => (stale = true))
    if (!shots.shot || !shots.variant) return
    try {
      const params = {
        path: { shot_id: shots.shot.id },
        query: { name: props.name, frame: workspace.frame, variant: shots.variant.id },
      }
      const answer = await unwrap<Histogram>(api.GET('/api/shots/{shot_id}/pass/histogram', { params }))
      if (!stale) histogram.value = answer
    } catch (error) {
      if (!stale) notifications.show(error)
    }
  },
  { immediate: true },
)

const lines = computed(() => {
  const counts = histogram.value?.counts ?? []
  const top = Math.max(1, ...counts.flat())
  return counts.map((channel) =>
    channel
      .map((count, i) => `${(i / (channel.length - 1)) * WIDTH},${HEIGHT - Math.sqrt(count / top) * HEIGHT}`)
      .join(' '),
  )
})
const marks = computed(() => {
  const { low, high } = histogram.value ?? { low: -10, high: 8 }
  const stops = [-8, -4, 0, 4].filter((stop) => stop >= low && stop <= high)
  return stops.map((stop) => ({ stop, x: ((stop - low) / (high - low)) * WIDTH }))
})
</script>

<template>
  <figure v-if="histogram" aria-label="Histogram">
    <svg :viewBox="`0 0 ${WIDTH} ${HEIGHT + 14}`" role="img" aria-label="Histogram in stops">
      <template v-for="mark in marks" :key="mark.stop">
        <line :x1="mark.x" :x2="mark.x" y1="0" :y2="HEIGHT" />
        <text :x="mark.x" :y="HEIGHT + 11">
          {{ mark.stop > 0 ? '+' : mark.stop < 0 ? '−' : '' }}{{ Math.abs(mark.stop) }}
        </text>
      </template>
      <polyline v-for="(points, i) in lines" :key="i" :points="points" :class="`line-${i}`" />
    </svg>
    <figcaption class="quiet">
      stops (0 = 0.18); {{ histogram.dark.toLocaleString('en') }} values ≤ 0
    </figcaption>
  </figure>
</template>

<style scoped>
figure {
  margin: 0;
}
svg {
  width: 100%;
  background: var(--well);
}
line {
  stroke: var(--line);
}
text {
  fill: var(--text-3);
  font-size: 10px;
  text-anchor: middle;
}
polyline {
  fill: none;
  stroke: var(--text-1);
}
.line-1 {
  stroke-dasharray: 4 2;
}
.line-2 {
  stroke-dasharray: 1 2;
}
figcaption {
  font-size: 12px;
}
</style>
