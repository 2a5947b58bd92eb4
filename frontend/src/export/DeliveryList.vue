<script setup lang="ts">
import { useThrottleFn } from '@vueuse/core'
import { computed, shallowRef, watch } from 'vue'
import { api, unwrap } from '@/api/client'
import type { Delivery, Job } from '@/api/types'
import { momentText, pluralise } from '@/format'
import { useJobs } from '@/stores/jobs'
import { useNotifications } from '@/stores/notifications'
import { useShot } from '@/stores/shot'
import FrameTicks from './FrameTicks.vue'

/** The deliveries of the variant: their frames, how each stands, what failed and why, and the files. */
const shots = useShot()
const jobs = useJobs()
const notifications = useNotifications()
const deliveries = shallowRef<Delivery[]>([])
const work = computed(() => jobs.jobs.filter((job) => job.what === 'exporting'))

const load = useThrottleFn(
  async () => {
    if (!shots.variant) return
    const params = { path: { variant_id: shots.variant.id } }
    try {
      deliveries.value = (
        await unwrap<{ deliveries: Delivery[] }>(api.GET('/api/variants/{variant_id}/deliveries', { params }))
      ).deliveries
    } catch (error) {
      notifications.show(error)
    }
  },
  400,
  true,
)
watch(
  () => [shots.variant?.id, work.value.map((job) => `${job.id} ${job.state} ${job.share}`).join()],
  load,
  {
    immediate: true,
  },
)

const WORDS: Record<Delivery['state'], string> = {
  running: 'In progress',
  done: 'Done',
  failed: 'Failed',
  cancelled: 'Stopped',
  paused: 'Paused',
  interrupted: 'Interrupted: the server stopped',
}
const jobOf = (delivery: Delivery): Job | null => jobs.find(delivery.job)

function words(delivery: Delivery): string {
  const ended = delivery.done.length
  const left = jobOf(delivery)?.seconds_left
  const parts = [WORDS[delivery.state]]
  if (delivery.failed.length) parts[0] = `${delivery.failed.length} of ${delivery.frames.length} failed`
  else if (delivery.state !== 'done') parts.push(`${ended} of ${pluralise(delivery.frames.length, 'frame')}`)
  else parts.push(pluralise(delivery.frames.length, 'frame'))
  if (delivery.state === 'running' && left) parts.push(`about ${Math.ceil(left)} s left`)
  return parts.join(', ')
}

async function send(request: Promise<{ data?: unknown; error?: unknown; response: Response }>) {
  try {
    await unwrap(request)
    await load()
  } catch (error) {
    notifications.show(error)
  }
}
const path = (delivery: Delivery) => ({ params: { path: { delivery_id: delivery.id } } })
const pause = (delivery: Delivery) => send(api.POST('/api/deliveries/{delivery_id}/pause', path(delivery)))
async function resume(delivery: Delivery) {
  try {
    await jobs.begin(api.POST('/api/deliveries/{delivery_id}/resume', path(delivery)))
    await load()
  } catch (error) {
    notifications.show(error)
  }
}
const resumeWords = (delivery: Delivery) => (delivery.failed.length ? 'Write again' : 'Resume')
</script>

<template>
  <section v-if="deliveries.length" class="deliveries" aria-label="Deliveries">
    <h3>Deliveries</h3>
    <article v-for="(delivery, index) in deliveries" :key="delivery.id" :data-state="delivery.state">
      <header>
        <b>{{ momentText(delivery.created) }}</b>
        <span>{{ delivery.name }}</span>
        <span class="state" :class="{ warning: ['failed', 'interrupted'].includes(delivery.state) }">
          {{ words(delivery) }}
        </span>
        <button v-if="delivery.state === 'running' && delivery.job" type="button" @click="pause(delivery)">
          Pause
        </button>
        <button v-if="delivery.can_resume" type="button" @click="resume(delivery)">
          {{ resumeWords(delivery) }}
        </button>
      </header>
      <FrameTicks v-if="delivery.stills && delivery.frames.length > 1" :delivery="delivery" />
      <p v-for="fault in delivery.failed.slice(0, 5)" :key="fault.number" class="warning">
        Frame {{ fault.number }}: {{ fault.error }}
      </p>
      <p v-if="delivery.error && !delivery.failed.length" class="warning">{{ delivery.error }}</p>
      <details v-if="delivery.files.length" :open="index === 0 && delivery.files.length <= 4">
        <summary>{{ pluralise(delivery.files.length, 'file') }}, revision {{ delivery.revision }}</summary>
        <p v-for="file in delivery.files" :key="file.address">
          <a :href="file.address" download>{{ file.name }}</a>
        </p>
        <p class="quiet">Folder: {{ delivery.folder }}</p>
      </details>
    </article>
  </section>
</template>

<style scoped>
.deliveries {
  display: grid;
  gap: 10px;
  padding-top: 8px;
  border-top: 1px solid var(--line);
}
h3 {
  margin: 0;
  font-size: 13px;
}
article {
  display: grid;
  gap: 4px;
  padding-bottom: 8px;
  border-bottom: 1px solid var(--line);
}
header {
  display: grid;
  grid-template-columns: auto 1fr auto auto;
  gap: 8px;
  align-items: center;
}
header span {
  overflow-wrap: anywhere;
}
.state,
.quiet,
summary {
  color: var(--text-2);
}
summary {
  cursor: pointer;
}
.warning {
  color: var(--warning);
}
p {
  margin: 2px 0 0;
  overflow-wrap: anywhere;
}
details p {
  margin-left: 14px;
}
</style>
