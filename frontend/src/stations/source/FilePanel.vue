<script setup lang="ts">
import { computed, ref } from 'vue'
import { api, type Answer } from '@/api/client'
import type { RenderPass } from '@/api/types'
import JobLine from '@/panels/JobLine.vue'
import { useJobs } from '@/stores/jobs'
import { useShot } from '@/stores/shot'
import { useNotifications } from '@/stores/notifications'

/** Passes written as files, and a newer render taken over. */
const props = defineProps<{ chosen: RenderPass[]; all: number }>()
const shots = useShot()
const jobs = useJobs()
const notifications = useNotifications()
const everything = ref(true)
const newName = ref('')
const newer = ref('')
const jobId = ref<number | null>(null)
const job = computed(() => jobs.find(jobId.value))
/** A file that was written, and the passes that it holds. */
interface Written {
  name: string
  address: string
  passes: string[]
}
const files = computed(() => (job.value?.result as { files?: Written[] } | null)?.files ?? [])
const changes = computed(() => (job.value?.result as { changes?: string[] } | null)?.changes ?? [])
const one = computed(() => !everything.value && props.chosen.length === 1)

async function start(request: Promise<Answer>) {
  try {
    jobId.value = await jobs.begin(request)
  } catch (error) {
    notifications.show(error)
  }
}

function write(gathered: boolean) {
  const name = props.chosen[0]?.name ?? ''
  const rename = one.value && newName.value.trim() ? { [name]: newName.value.trim() } : {}
  const passes = everything.value ? [] : props.chosen.map((p) => p.name)
  const params = { path: { shot_id: shots.shot!.id } }
  void start(api.POST('/api/shots/{shot_id}/files', { params, body: { gathered, passes, rename } }))
}

function takeOver() {
  const params = { path: { shot_id: shots.shot!.id } }
  const body = { sources: [newer.value.trim()] }
  void start(api.PUT('/api/shots/{shot_id}/render', { params, body }))
}
</script>

<template>
  <section class="bench-part" aria-label="Files">
    <h2>Files</h2>
    <div class="row" role="group" aria-label="Passes to export">
      <button type="button" :aria-pressed="everything" @click="everything = true">
        All {{ all }} passes
      </button>
      <button type="button" :aria-pressed="!everything" @click="everything = false">
        {{ chosen.length === 1 ? 'Selected pass' : `Selected passes (${chosen.length})` }}
      </button>
    </div>
    <input
      v-if="one"
      v-model="newName"
      :placeholder="`New name for ${chosen[0]!.name}`"
      aria-label="New name"
    />
    <div class="row">
      <button type="button" @click="write(false)">Export one file per pass</button>
      <button type="button" @click="write(true)">Export one multi-channel EXR</button>
    </div>
    <form class="row" @submit.prevent="takeOver">
      <input v-model="newer" class="fill" aria-label="Newer render" placeholder="Path of a newer render" />
      <button type="submit" :disabled="!newer.trim()">Replace render</button>
    </form>
    <div role="status">
      <JobLine v-if="job?.state === 'running'" :job="job" />
      <p v-if="job?.state === 'failed'" class="warning">{{ job.error }}</p>
      <p v-for="sentence in changes" :key="sentence">{{ sentence }}</p>
      <p v-for="file in files" :key="file.address">
        <a :href="file.address" download>{{ file.name }}</a>
        <span v-if="file.passes.length === 1" class="quiet">{{ file.passes[0] }}</span>
      </p>
    </div>
  </section>
</template>

<style scoped>
.row {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
}
.fill {
  flex: 1;
  min-width: 0;
}
</style>
