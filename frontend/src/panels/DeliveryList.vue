<script setup lang="ts">
import { momentText, pluralise } from '@/format'
import { computed, shallowRef, watch } from 'vue'
import { api, unwrap } from '@/api/client'
import type { Delivery } from '@/api/types'
import { useJobs } from '@/stores/jobs'
import { useShot } from '@/stores/shot'
import { useNotifications } from '@/stores/notifications'

/** The deliveries of the variant, how each ended, and the files that are there whole. */
const shots = useShot()
const jobs = useJobs()
const notifications = useNotifications()
const deliveries = shallowRef<Delivery[]>([])
const state = computed(() => jobs.jobs.find((job) => job.what === 'exporting')?.state)

watch(
  () => [shots.variant?.id, state.value],
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
  { immediate: true },
)

const WORDS: Record<Delivery['state'], string> = {
  running: 'In progress',
  done: 'Done',
  failed: 'Failed',
  cancelled: 'Stopped',
  interrupted: 'Interrupted: the server stopped',
}
const words = (delivery: Delivery) =>
  `${WORDS[delivery.state]}, ${delivery.files.length} of ${pluralise(delivery.frames, 'frame')}`
</script>

<template>
  <section v-if="deliveries.length" class="deliveries" aria-label="Deliveries">
    <h3>Deliveries</h3>
    <details v-for="(delivery, index) in deliveries" :key="delivery.id" :open="index === 0">
      <summary>
        <span>{{ momentText(delivery.created) }}</span>
        <span :class="{ warning: delivery.state === 'failed' || delivery.state === 'interrupted' }">
          {{ words(delivery) }}
        </span>
      </summary>
      <p v-if="delivery.error" class="warning">{{ delivery.error }}</p>
      <p v-for="file in delivery.files" :key="file.address">
        <a :href="file.address" download>{{ file.name }}</a>
      </p>
      <p class="quiet">Folder: {{ delivery.folder }}</p>
    </details>
  </section>
</template>

<style scoped>
.deliveries {
  display: grid;
  gap: 6px;
  padding-top: 8px;
  border-top: 1px solid var(--line);
}
h3 {
  margin: 0;
  font-size: 12px;
  font-weight: 400;
  color: var(--text-2);
}
summary {
  cursor: pointer;
}
summary span + span {
  margin-left: 8px;
  color: var(--text-2);
}
summary span.warning {
  color: var(--warning);
}
p {
  margin: 4px 0 0 14px;
  overflow-wrap: anywhere;
}
</style>
