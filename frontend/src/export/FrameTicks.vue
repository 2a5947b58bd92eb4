<script setup lang="ts">
import { computed } from 'vue'
import type { Delivery } from '@/api/types'

/** The frames of a delivery as a strip of ticks; of very many, each tick is a run of them. */
const props = defineProps<{ delivery: Delivery }>()
const MOST = 120

const ticks = computed(() => {
  const { frames, done, failed } = props.delivery
  const written = new Set(done)
  const faults = new Set(failed.map((fault) => fault.number))
  const size = Math.ceil(frames.length / MOST)
  return Array.from({ length: Math.ceil(frames.length / size) }, (_, index) => {
    const run = frames.slice(index * size, (index + 1) * size)
    if (run.some((number) => faults.has(number))) return { frame: run[0], state: 'failed' }
    return { frame: run[0], state: run.every((number) => written.has(number)) ? 'done' : 'waiting' }
  })
})
</script>

<template>
  <div
    class="ticks"
    role="img"
    :aria-label="`${delivery.done.length} of ${delivery.frames.length} frames written, ${delivery.failed.length} failed`"
  >
    <span v-for="tick in ticks" :key="tick.frame" :class="tick.state" />
  </div>
</template>

<style scoped>
.ticks {
  display: flex;
  gap: 1px;
  height: 14px;
}
.ticks span {
  flex: 1;
  background: var(--line);
}
.ticks .done {
  background: var(--match);
}
.ticks .failed {
  background: var(--warning);
}
</style>
