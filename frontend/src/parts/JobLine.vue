<script setup lang="ts">
import { computed } from 'vue'
import { api, told } from '@/api/client'
import type { Job } from '@/api/types'
import { percent, spoken } from '@/stores/levels'
import { useTroubles } from '@/stores/troubles'

/** Long work under way: how far it is, how long it takes yet, and a way to stop it. What is done by then stays. */
const props = defineProps<{ job: Job }>()
const troubles = useTroubles()

const left = computed(() => {
  const seconds = props.job.seconds_left
  if (seconds === null || seconds === undefined) return ''
  return seconds < 90 ? `about ${Math.ceil(seconds)} s left` : `about ${Math.ceil(seconds / 60)} min left`
})
const words = computed(() =>
  [spoken(props.job.what), props.job.doing, props.job.share > 0 ? percent(props.job.share) : '', left.value]
    .filter(Boolean)
    .join(', '),
)

function stop() {
  const params = { path: { job_id: props.job.id } }
  void told(api.POST('/api/jobs/{job_id}/cancel', { params })).catch((error) => troubles.tell(error))
}
</script>

<template>
  <div class="job" role="status">
    <progress :value="job.share" max="1" :aria-label="spoken(job.what)" />
    <span>{{ words }}</span>
    <button type="button" @click="stop">stop</button>
  </div>
</template>

<style scoped>
.job {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 4px 8px;
  align-items: center;
  color: var(--text-2);
}
progress {
  grid-column: 1 / 3;
  width: 100%;
  height: 4px;
  accent-color: var(--accent);
}
</style>
