<script setup lang="ts">
import Select from 'primevue/select'
import { computed, ref } from 'vue'
import { api } from '@/api/client'
import type { NewDelivery } from '@/api/types'
import { useJobs } from '@/stores/jobs'
import { useColourOffer } from '@/composables/useColourOffer'
import { useShot } from '@/stores/shot'
import { useNotifications } from '@/stores/notifications'
import DeliveryList from './DeliveryList.vue'
import JobLine from './JobLine.vue'

const jobs = useJobs()
const emit = defineEmits<{ close: [] }>()
const shots = useShot()
const notifications = useNotifications()
const kind = ref<'exr-half' | 'exr-float' | 'png-16' | 'png-8'>('exr-half')
const space = ref<string | null>(null)
const jobId = ref<number | null>(null)
const { offer } = useColourOffer()

const KINDS = [
  { value: 'exr-half', label: 'EXR, half float, scene-linear' },
  { value: 'exr-float', label: 'EXR, 32-bit float, scene-linear' },
  { value: 'png-16', label: 'PNG, 16 bits, display-referred' },
  { value: 'png-8', label: 'PNG, 8 bits, display-referred' },
]
const linear = computed(() => kind.value.startsWith('exr'))
const source = computed(() => shots.variant?.delivery_space ?? '')
const job = computed(() => jobs.find(jobId.value))
const tag = computed(() =>
  linear.value ? (space.value ?? source.value) : (shots.variant?.chain.slice(2).join(', ') ?? ''),
)

async function deliver() {
  if (!shots.variant) return
  const [format, depth] = kind.value.split('-') as ['exr' | 'png', string]
  const body: Partial<NewDelivery> = { format, space: linear.value ? space.value : null }
  if (format === 'exr') body.pixel_type = depth as 'half' | 'float'
  else body.bits = Number(depth) as 8 | 16
  try {
    const params = { path: { variant_id: shots.variant.id } }
    jobId.value = await jobs.begin(
      api.POST('/api/variants/{variant_id}/deliveries', { params, body: body as NewDelivery }),
    )
  } catch (error) {
    notifications.show(error)
  }
}
</script>

<template>
  <aside class="deliver" aria-label="Export">
    <div class="bench-head">
      <h2>Export {{ shots.variant?.name }}</h2>
      <button type="button" @click="emit('close')">Close</button>
    </div>
    <label for="kind">File</label>
    <Select v-model="kind" input-id="kind" :options="KINDS" option-label="label" option-value="value" />
    <template v-if="linear">
      <label for="space">Colour space</label>
      <Select
        input-id="space"
        :model-value="space ?? source"
        :options="offer?.scene_spaces ?? [source]"
        @update:model-value="space = $event"
      />
    </template>
    <p class="quiet">File metadata: {{ tag }}.</p>
    <button type="button" class="go" :disabled="job?.state === 'running'" @click="deliver">Export</button>
    <div role="status">
      <JobLine v-if="job?.state === 'running'" :job="job" />
      <p v-if="job?.state === 'failed'" class="warning">{{ job.error }}</p>
    </div>
    <DeliveryList />
  </aside>
</template>

<style scoped>
.deliver {
  position: absolute;
  z-index: 5;
  top: 90px;
  right: 0;
  height: calc(100vh - 114px);
  overflow-y: auto;
  display: grid;
  align-content: start;
  gap: 8px;
  width: 356px;
  padding: 12px 16px 16px;
  background: var(--surface-2);
  border: 1px solid var(--line);
}
label {
  color: var(--text-2);
  font-size: 12px;
}
p {
  margin: 0;
  overflow-wrap: anywhere;
}
progress {
  width: 100%;
  height: 4px;
  accent-color: var(--accent);
}
</style>
