<script setup lang="ts">
import { displayName } from '@/format'
import type { Job } from '@/api/types'
import { useJobs, wordsOf } from '@/stores/jobs'
import { useNotifications } from '@/stores/notifications'

/** Long work under way: how far it is, how long it takes yet, and a way to stop it. What is done by then stays. */
defineProps<{ job: Job }>()
const jobs = useJobs()
const notifications = useNotifications()
</script>

<template>
  <div class="job" role="status">
    <progress :value="job.share" max="1" :aria-label="displayName(job.what)" />
    <span>{{ wordsOf(job) }}</span>
    <button type="button" @click="jobs.stop(job).catch(notifications.show)">Stop</button>
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
