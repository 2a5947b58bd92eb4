<script setup lang="ts">
import { displayName, pluralise } from '@/format'
import { computed, onMounted, ref, watch } from 'vue'
import { api, unwrap, upload } from '@/api/client'
import type { MediaEntry } from '@/api/types'
import JobLine from '@/panels/JobLine.vue'
import { shotMadeBy, useJobs } from '@/stores/jobs'
import { useShot } from '@/stores/shot'
import { useNotifications } from '@/stores/notifications'
import ShotCard from './ShotCard.vue'

const jobs = useJobs()
const shots = useShot()
const notifications = useNotifications()
const entries = ref<MediaEntry[]>([])
/** The media roots, each with what can be opened in it. */
const roots = ref<{ root: MediaEntry; entries: MediaEntry[] }[]>([])
const mediaState = ref<'loading' | 'error' | 'ready'>('loading')
const MOST_SHOWN = 12
const folder = ref('')
const path = ref('')
const bringing = ref('')
const failed = ref<string[]>([])
const opening = ref<number | null>(null)
const misfit = computed(() => jobs.find(opening.value)?.error_kind === 'SizesDiffer')
const running = computed(() => jobs.jobs.filter((job) => job.state === 'running' && !job.viewer))
const demo = computed(() => running.value.find((job) => job.what.startsWith('rendering')))
/** Above a root, all roots are listed. */
const parent = computed(() =>
  roots.value.some(({ root }) => root.path === folder.value) ? '' : folder.value.replace(/\/[^/]*$/, ''),
)

onMounted(() => browse(''))

/** What was opened here is gone into when it is there; what others open, or the demo renders, takes nobody along. */
watch(
  () => jobs.find(opening.value),
  (job) => {
    const made = job?.state === 'done' ? shotMadeBy(job) : undefined
    if (made !== undefined) show(made)
  },
)

async function list(of: string): Promise<MediaEntry[]> {
  const request = api.GET('/api/media', { params: { query: { folder: of } } })
  return (await unwrap<{ entries: MediaEntry[] }>(request)).entries
}

async function browse(to: string) {
  try {
    const found = await list(to)
    if (!to)
      roots.value = await Promise.all(
        found.map(async (root) => ({ root, entries: await list(root.path).catch(() => []) })),
      )
    entries.value = found
    folder.value = to
    mediaState.value = 'ready'
  } catch (error) {
    if (to) return browse('')
    mediaState.value = 'error'
    notifications.show(error)
  }
}

async function open(sources: string[], fit = false) {
  failed.value = sources
  try {
    opening.value = await jobs.begin(api.POST('/api/shots', { body: { sources, name: null, fit } }))
  } catch (error) {
    notifications.show(error)
  }
}

async function bring(files: FileList | null | undefined) {
  if (!files?.length) return
  const batch = `${Date.now()}`
  try {
    const paths: string[] = []
    for (const file of files) {
      bringing.value = `Uploading ${file.name}`
      paths.push(await upload(file, batch))
    }
    await open(paths)
  } catch (error) {
    notifications.show(error)
  } finally {
    bringing.value = ''
  }
}

const active = computed(() => shots.shots.filter((shot) => shot.status === 'active'))
const archived = computed(() => shots.shots.filter((shot) => shot.status === 'archived'))

function restore() {
  if (shots.deleted)
    shots.changeShot(shots.deleted.id, { status: 'active' }).catch((error) => notifications.show(error))
}

function show(id: number) {
  shots.openShot(id).catch((error) => notifications.show(error))
}
</script>

<template>
  <main class="start" @dragover.prevent @drop.prevent="bring($event.dataTransfer?.files)">
    <p class="about">
      Open a finished render split into passes. Escala verifies that the passes rebuild the beauty exactly,
      then lets you rebalance lights, surfaces and colour without rendering again.
    </p>
    <section aria-label="Shots">
      <h1>Shots</h1>
      <p v-if="!shots.loaded" class="quiet">Loading…</p>
      <p v-else-if="!shots.shots.length && demo" class="quiet">
        The demo is rendering; the first image appears in a few seconds.
      </p>
      <p v-else-if="!shots.shots.length" class="quiet">
        No shots. Open a render on the right, or start with <code>make demo</code>.
      </p>
      <p v-else class="quiet">
        Open a shot, then drag up or down in the image to change the light under the pointer.
      </p>
      <p v-for="problem in shots.problems" :key="problem" class="problem" role="alert">{{ problem }}</p>
      <div class="shots">
        <ShotCard v-for="shot in active" :key="shot.id" :shot="shot" @open="show(shot.id)" />
      </div>
      <p v-if="shots.deleted" class="deleted" role="status">
        {{ displayName(shots.deleted.name) }} deleted. Source files are kept.
        <button type="button" @click="restore">Restore</button>
      </p>
      <details v-if="archived.length">
        <summary>{{ pluralise(archived.length, 'archived shot') }}</summary>
        <div class="shots">
          <ShotCard v-for="shot in archived" :key="shot.id" :shot="shot" @open="show(shot.id)" />
        </div>
      </details>
      <JobLine v-for="job in running" :key="job.id" :job="job" />
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
        <button type="button" @click="open(failed, true)">Resize to match the first file</button>
      </p>
      <p class="quiet supported">
        Supported: OpenEXR (multi-channel or one file per pass), TIFF, PNG; stills and sequences. Drop files
        here, or
        <label class="choose"
          >choose files…<input
            type="file"
            multiple
            accept=".exr,.tif,.tiff,.png"
            @change="bring(($event.target as HTMLInputElement).files)"
        /></label>
        <template v-if="bringing"> · {{ bringing }}</template>
      </p>
      <p v-if="mediaState === 'loading'" class="quiet">Loading…</p>
      <p v-else-if="mediaState === 'error'" class="warning">The media roots could not be listed.</p>
      <p v-else-if="!roots.length" class="quiet">
        No media roots. Start with <code>make demo MEDIA=DIR</code>, or upload files here.
      </p>
      <template v-else-if="!folder">
        <div v-for="each in roots" :key="each.root.path" class="root">
          <h2>{{ each.root.path }}</h2>
          <ul class="entries" :aria-label="`Media root ${each.root.path}`">
            <li v-for="entry in each.entries.slice(0, MOST_SHOWN)" :key="entry.path">
              <button v-if="entry.folder" type="button" @click="browse(entry.path)">{{ entry.name }}/</button>
              <button v-else type="button" @click="open([entry.path])">{{ entry.name }}</button>
            </li>
            <li v-if="each.entries.length > MOST_SHOWN">
              <button type="button" @click="browse(each.root.path)">
                {{ each.entries.length - MOST_SHOWN }} more…
              </button>
            </li>
          </ul>
          <p v-if="!each.entries.length" class="quiet">Nothing to open here.</p>
        </div>
      </template>
      <ul v-else class="entries" aria-label="Media">
        <li>
          <button type="button" @click="browse(parent)">Up</button
          ><button type="button" @click="open([folder])">Open this folder as one render</button>
        </li>
        <li v-for="entry in entries" :key="entry.path">
          <button v-if="entry.folder" type="button" @click="browse(entry.path)">{{ entry.name }}/</button>
          <button v-else type="button" @click="open([entry.path])">{{ entry.name }}</button>
        </li>
        <li v-if="!entries.length" class="quiet">Nothing to open here.</li>
      </ul>
    </section>
  </main>
</template>

<style scoped>
.start {
  display: grid;
  grid-template-columns: minmax(0, 3fr) minmax(0, 2fr);
  gap: 20px 48px;
  align-content: start;
  padding: 26px 48px;
  overflow: auto;
  background: var(--surface-2);
}
h1 {
  margin: 0 0 12px;
  font-size: 18px;
  font-weight: 600;
}
.about {
  grid-column: 1 / 3;
  max-width: 760px;
  margin: 0;
  color: var(--text-1);
  font-size: 16px;
  line-height: 23px;
}
.shots {
  display: grid;
  grid-template-columns: repeat(2, minmax(0, 1fr));
  gap: 14px;
  margin: 10px 0;
}
.problem {
  color: var(--warning);
}
.deleted,
summary {
  color: var(--text-2);
}
.row {
  display: flex;
  gap: 6px;
}
.row input {
  flex: 1;
}
.supported {
  margin-top: 8px;
}
.root {
  margin-top: 14px;
}
.entries {
  max-height: 320px;
  margin: 4px 0 0;
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
</style>
