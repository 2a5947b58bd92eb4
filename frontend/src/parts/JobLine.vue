<script setup lang="ts">
import type { Job } from '@/api/types'
import { useJobs, wordsOf } from '@/stores/jobs'
import { spoken } from '@/stores/levels'
import { useTroubles } from '@/stores/troubles'

/** Long work under way: how far it is, how long it takes yet, and a way to stop it. What is done by then stays. */
defineProps<{ job: Job }>()
const jobs = useJobs()
const troubles = useTroubles()
</script>

<template>
  <div class="job" role="status">
    <progress :value="job.share" max="1" :aria-label="spoken(job.what)" />
    <span>{{ wordsOf(job) }}</span>
    <button type="button" @click="jobs.stop(job).catch(troubles.tell)">Stop</button>
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
