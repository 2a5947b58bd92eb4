<script setup lang="ts">
import { computed, onMounted, ref } from 'vue'
import { api, passPicture, told, upload } from '@/api/client'
import type { MediaEntry } from '@/api/types'
import { spoken } from '@/stores/levels'
import { useJobs } from '@/stores/jobs'
import { useShot } from '@/stores/shot'
import { useTroubles } from '@/stores/troubles'

const jobs = useJobs()
const shots = useShot()
const troubles = useTroubles()
const entries = ref<MediaEntry[]>([])
const folder = ref('')
const path = ref('')
const bringing = ref('')
const asked = ref<string[]>([])
const opening = ref<number | null>(null)
const misfit = computed(() => jobs.find(opening.value)?.error_kind === 'SizesDiffer')
const running = computed(() => jobs.jobs.filter((job) => job.state === 'running'))
const demo = computed(() => running.value.find((job) => job.what.startsWith('rendering')))
const parent = computed(() => folder.value.replace(/\/[^/]*$/, ''))

onMounted(() => browse(''))

async function browse(to: string) {
  try {
    const answer = await told<{ entries: MediaEntry[] }>(
      api.GET('/api/media', { params: { query: { folder: to } } }),
    )
    entries.value = answer.entries
    folder.value = to
  } catch (error) {
    if (to) return browse('')
    troubles.tell(error)
  }
}

async function open(sources: string[], fit = false) {
  asked.value = sources
  try {
    opening.value = await jobs.begin(api.POST('/api/shots', { body: { sources, name: null, fit } }))
  } catch (error) {
    troubles.tell(error)
  }
}

async function bring(files: FileList | null | undefined) {
  if (!files?.length) return
  const batch = `${Date.now()}`
  try {
    const paths: string[] = []
    for (const file of files) {
      bringing.value = `Bringing in ${file.name}`
      paths.push(await upload(file, batch))
    }
    await open(paths)
  } catch (error) {
    troubles.tell(error)
  } finally {
    bringing.value = ''
  }
}

function show(id: number) {
  shots.openShot(id).catch((error) => troubles.tell(error))
}
</script>

<template>
  <main class="start" @dragover.prevent @drop.prevent="bring($event.dataTransfer?.files)">
    <section aria-label="Shots">
      <h1>Shots</h1>
      <p v-if="!shots.shots.length && demo" class="quiet">
        The demo is being rendered; its first picture comes in a few seconds.
      </p>
      <p v-else-if="!shots.shots.length" class="quiet">
        None yet. Open a render below, or start with <code>make demo</code>.
      </p>
      <button v-for="shot in shots.shots" :key="shot.id" type="button" class="shot" @click="show(shot.id)">
        <img
          v-if="shot.cover"
          :src="passPicture(shot.id, shot.cover, 320, null, `key=${shots.renderKey}`)"
          alt=""
        />
        <span class="name">{{ spoken(shot.name) }}</span>
        <span class="quiet"
          >{{ shot.width }} × {{ shot.height }} · {{ shot.passes }} passes ·
          {{ shot.frames === 1 ? 'still' : `${shot.frames} frames` }}</span
        >
      </button>
      <div v-for="job in running" :key="job.id" class="job" role="status">
        {{ spoken(job.what) }}<template v-if="job.doing">, {{ job.doing }}</template>
        <progress v-if="job.share > 0" :value="job.share" max="1" :aria-label="job.what" />
      </div>
    </section>
    <section aria-label="Open a render">
      <h1>Open a render</h1>
      <form class="row" @submit.prevent="open([path])">
        <input
          v-model="path"
          aria-label="Path"
          placeholder="Path of a file, a folder, or a sequence as name.####.exr"
        />
        <button type="submit" :disabled="!path.trim()">Open</button>
      </form>
      <p v-if="misfit">
        The files have different sizes.
        <button type="button" @click="open(asked, true)">Fit them to the first</button>
      </p>
      <p class="quiet">
        Or drop EXR, TIFF or PNG files here, or
        <label class="choose"
          >choose them<input
            type="file"
            multiple
            accept=".exr,.tif,.tiff,.png"
            @change="bring(($event.target as HTMLInputElement).files)"
        /></label>
        <template v-if="bringing"> · {{ bringing }}</template>
      </p>
      <ul v-if="entries.length" class="entries" aria-label="Media">
        <li v-if="folder">
          <button type="button" @click="browse(parent)">Up</button
          ><button type="button" @click="open([folder])">Open this folder as one render</button>
        </li>
        <li v-for="entry in entries" :key="entry.path">
          <button v-if="entry.folder" type="button" @click="browse(entry.path)">{{ entry.name }}/</button>
          <button v-else type="button" @click="open([entry.path])">{{ entry.name }}</button>
        </li>
      </ul>
    </section>
  </main>
</template>

<style scoped>
.start {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 48px;
  align-content: start;
  padding: 32px 48px;
  overflow: auto;
  background: var(--surface-2);
}
h1 {
  margin: 0 0 12px;
  font-size: 18px;
  font-weight: 600;
}
.shot {
  display: grid;
  grid-template: auto auto / 160px 1fr;
  column-gap: 12px;
  width: 100%;
  margin-bottom: 8px;
  padding: 0;
  border: 1px solid var(--line);
  background: var(--surface-1);
  text-align: left;
}
.shot img {
  grid-row: 1 / 3;
  width: 160px;
  height: 90px;
  object-fit: cover;
  background: #000;
}
.shot .name {
  align-self: end;
  font-weight: 600;
}
.row {
  display: flex;
  gap: 6px;
}
.row input {
  flex: 1;
}
.entries {
  max-height: 320px;
  margin: 12px 0 0;
  padding: 0;
  list-style: none;
  overflow: auto;
}
.entries button {
  border: 0;
  background: none;
}
.choose {
  text-decoration: underline;
  cursor: pointer;
}
.choose:focus-within {
  outline: 2px solid var(--accent);
}
.choose input {
  position: absolute;
  opacity: 0;
  width: 1px;
}
.job {
  margin-top: 12px;
  color: var(--text-2);
}
progress {
  display: block;
  width: 100%;
  height: 4px;
  margin-top: 6px;
  accent-color: var(--accent);
}
</style>
