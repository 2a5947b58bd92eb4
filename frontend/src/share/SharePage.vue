<script setup lang="ts">
import { useEventListener, useIntervalFn } from '@vueuse/core'
import { computed, onMounted, ref, shallowRef, useTemplateRef, watch } from 'vue'
import type { Note, NoteList, SharedShot } from '@/api/types'
import { momentText } from '@/format'
import { useLine } from './line'
import ShareImage, { type View } from './ShareImage.vue'
import { Withdrawn, fetchNotes, fetchShare, sendNote } from './shareApi'
import { useShareView } from './useShareView'

/** The page of a share: its variants as images, a wipe between two, a player, and notes. It can change nothing else. */
const POLL_MS = 5000
const share = shallowRef<SharedShot | null>(null)
const notes = shallowRef<Note[]>([])
/** Whether there are notes older than those that are listed. */
const more = ref(false)
const line = useLine()
const ended = ref('')
const problem = ref('')
const chosen = ref(0)
const other = ref<number | null>(null)
const wipe = ref(0.5)
const frame = ref(0)
const playing = ref(false)
const text = ref('')
const author = ref(localStorage.getItem('escala-author') ?? '')
const place = shallowRef<[number, number] | null>(null)
const shown = useTemplateRef('shown')
const view = ref<View>({ x: 0, y: 0, scale: 0 })

const variant = computed(() => share.value?.variants.find((one) => one.id === chosen.value) ?? null)
const compared = computed(() => share.value?.variants.find((one) => one.id === other.value) ?? null)
const frames = computed(() => share.value?.shot.frames ?? [])
const here = computed(() => notes.value.filter((note) => note.variant === chosen.value))
/** When a note was written, on which frame, and on which revision where the image has changed since. */
function aboutNote(note: Note): string {
  const facts = [momentText(note.created), `frame ${note.frame}`]
  if (note.state === 'done') facts.push('done')
  if (variant.value && note.revision !== variant.value.revision)
    facts.push(`on revision ${note.revision}: the image has changed since`)
  return facts.join(', ')
}
const pins = computed(() =>
  here.value.filter((note) => note.place && note.frame === frame.value && note.state === 'open'),
)

function failed(error: unknown) {
  if (error instanceof Withdrawn) ended.value = error.message
  else problem.value = error instanceof Error ? error.message : String(error)
}

async function load() {
  try {
    const [found, page] = await Promise.all([fetchShare(), fetchNotes()])
    share.value = found
    addNotes(page)
    if (!found.variants.some((one) => one.id === chosen.value)) chosen.value = found.variants[0]?.id ?? 0
    if (!found.shot.frames.includes(frame.value)) frame.value = found.shot.frames[0] ?? 0
    problem.value = ''
  } catch (error) {
    failed(error)
  }
}
onMounted(load)

/** Newest notes replace those that were listed; older ones that were loaded stay. */
function addNotes(page: NoteList) {
  const last = page.notes.at(-1)?.id ?? 0
  const older = page.more ? notes.value.filter((note) => note.id < last) : []
  if (!older.length) more.value = page.more
  notes.value = [...page.notes, ...older]
}

async function loadOlder() {
  try {
    const page = await fetchNotes(notes.value.at(-1)?.id)
    notes.value = [...notes.value, ...page.notes]
    more.value = page.more
  } catch (error) {
    failed(error)
  }
}

/** What others change comes at intervals while the page is seen, and at once when it is seen again. */
function refresh() {
  if (!ended.value && !document.hidden) void load()
}
useIntervalFn(refresh, POLL_MS)
useEventListener(document, 'visibilitychange', refresh)
watch(author, (name) => localStorage.setItem('escala-author', name))

const { press, zoomBy, pointOf } = useShareView(
  view,
  () => shown.value,
  (at) => {
    const { width, height } = share.value!.shot
    place.value = [Math.min(width, Math.max(0, at.x)), Math.min(height, Math.max(0, at.y))]
  },
)

/** The next frame once this one is shown: a line that is slow slows the player, and skips nothing. */
let due = 0
function next(at: number) {
  if (!playing.value || at !== frame.value || !share.value) return
  due = Math.max(performance.now(), due + 1000 / share.value.shot.frame_rate)
  setTimeout(() => step(1), Math.max(0, due - performance.now()))
}
function step(by: number) {
  const index = frames.value.indexOf(frame.value) + by
  frame.value = frames.value[(index + frames.value.length) % frames.value.length]!
}
function play() {
  playing.value = !playing.value
  due = performance.now()
  if (playing.value) step(1)
}

async function send() {
  if (!variant.value) return
  try {
    const { id, revision } = variant.value
    await sendNote({
      variant: id, text: text.value, author: author.value, revision, frame: frame.value, place: place.value,
    }) // prettier-ignore
    text.value = ''
    place.value = null
    await load()
  } catch (error) {
    failed(error)
  }
}

function jump(note: Note) {
  frame.value = note.frame
  if (note.place && view.value.scale) view.value = { ...view.value, x: note.place[0], y: note.place[1] }
}

function onKey(event: KeyboardEvent) {
  if (event.key === '+' || event.key === '=') zoomBy(1.25)
  else if (event.key === '-') zoomBy(0.8)
  else if (event.key === '0') view.value = { x: 0, y: 0, scale: 0 }
  else if (event.key === 'ArrowRight' && frames.value.length > 1) step(1)
  else if (event.key === 'ArrowLeft' && frames.value.length > 1) step(-1)
  else if (event.key === ' ' && frames.value.length > 1) play()
  else return
  event.preventDefault()
}
const QUALITIES = { preview: 'Preview', compressed: 'Compressed for a slow line', exact: 'Exact' }
const placed = (at: readonly [number, number]) => {
  const { x, y } = pointOf(at)
  return { left: `${x}px`, top: `${y}px` }
}
</script>

<template>
  <main v-if="ended" class="ended">
    <h1>Escala</h1>
    <p role="alert">{{ ended }}</p>
  </main>
  <main v-else-if="share" class="share">
    <header>
      <h1>{{ share.name }}</h1>
      <span class="quiet">{{ share.shot.name }}</span>
      <div role="group" aria-label="Variants" class="variants">
        <button
          v-for="one in share.variants"
          :key="one.id"
          type="button"
          :aria-pressed="one.id === chosen"
          @click="chosen = one.id"
        >
          {{ one.name }}
        </button>
      </div>
      <label v-if="share.variants.length > 1">
        Compare
        <select v-model="other">
          <option :value="null">off</option>
          <option v-for="one in share.variants" :key="one.id" :value="one.id">{{ one.name }}</option>
        </select>
      </label>
    </header>
    <div
      class="image"
      tabindex="0"
      role="application"
      aria-label="Image: plus and minus zoom, 0 shows all, arrow keys step, space plays"
      @keydown="onKey"
      @wheel.prevent="zoomBy($event.deltaY < 0 ? 1.15 : 1 / 1.15, $event)"
      @pointerdown="press"
    >
      <ShareImage
        v-if="variant"
        ref="shown"
        :variant="variant.id"
        :revision="variant.revision"
        :frame="frame"
        :width="share.shot.width"
        :height="share.shot.height"
        :view="view"
        :playing="playing"
        :line="line"
        @error="failed"
        @shown="next"
      />
      <ShareImage
        v-if="compared"
        :style="{ clipPath: `inset(0 0 0 ${wipe * 100}%)` }"
        :variant="compared.id"
        :revision="compared.revision"
        :frame="frame"
        :width="share.shot.width"
        :height="share.shot.height"
        :view="view"
        :playing="playing"
        :line="line"
        @error="failed"
      />
      <span v-if="compared" class="line" :style="{ left: `${wipe * 100}%` }" />
      <button
        v-for="note in pins"
        :key="note.id"
        type="button"
        class="pin"
        :style="placed(note.place!)"
        :title="`${note.author}: ${note.text}`"
        :aria-label="`Note of ${note.author}`"
      >
        {{ note.id }}
      </button>
      <span v-if="place" class="pin new" :style="placed(place)">+</span>
    </div>
    <div class="tools">
      <button type="button" @click="zoomBy(1.25)">Zoom in</button>
      <button type="button" @click="zoomBy(0.8)">Zoom out</button>
      <button type="button" @click="view = { x: 0, y: 0, scale: 0 }">Fit</button>
      <label v-if="compared"
        >Wipe <input v-model.number="wipe" type="range" min="0" max="1" step="0.01"
      /></label>
      <template v-if="frames.length > 1">
        <button type="button" :aria-pressed="playing" @click="play">{{ playing ? 'Stop' : 'Play' }}</button>
        <label>
          Frame {{ frame }}
          <input
            type="range"
            min="0"
            :max="frames.length - 1"
            :value="frames.indexOf(frame)"
            @input="frame = frames[Number(($event.target as HTMLInputElement).value)]!"
          />
        </label>
      </template>
      <span v-if="variant" class="quiet"
        >revision {{ variant.revision }}, {{ momentText(variant.changed) }}</span
      >
      <span v-if="shown" role="status">{{ QUALITIES[shown.quality] }}</span>
      <button v-if="shown?.quality === 'compressed'" type="button" @click="shown.loadExact()">
        Load exact image
      </button>
      <span v-if="problem" class="warning" role="alert">{{ problem }}</span>
    </div>
    <aside aria-label="Notes">
      <form @submit.prevent="send">
        <textarea
          v-model="text"
          rows="2"
          maxlength="4000"
          aria-label="Note"
          placeholder="Note on this image"
        />
        <div class="row">
          <input v-model="author" maxlength="80" aria-label="Your name" placeholder="Your name" />
          <span class="quiet">{{ place ? 'Placed in the image' : 'Click in the image to place it' }}</span>
          <button type="submit" :disabled="!text.trim() || !author.trim()">Send</button>
        </div>
      </form>
      <ol>
        <li v-for="note in here" :key="note.id" :class="{ done: note.state === 'done' }">
          <b>{{ note.id }} {{ note.author }}</b>
          <span class="quiet">
            {{ aboutNote(note) }}
          </span>
          <p>{{ note.text }}</p>
          <p v-for="answer in note.answers" :key="answer.id" class="answer">
            <b>{{ answer.author }}</b> {{ answer.text }}
          </p>
          <button type="button" @click="jump(note)">Show</button>
        </li>
      </ol>
      <p v-if="!here.length" class="quiet">No notes on this variant yet.</p>
      <button v-if="more" type="button" @click="loadOlder">Show older notes</button>
    </aside>
  </main>
  <main v-else class="ended">
    <p role="status">{{ problem || 'Loading…' }}</p>
  </main>
</template>

<style scoped>
.share {
  display: grid;
  grid-template: 'head head' auto 'image notes' 1fr 'tools notes' auto / 1fr 320px;
  height: 100vh;
}
header,
.tools {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px 12px;
  padding: 6px 14px;
}
header {
  grid-area: head;
  border-bottom: 1px solid var(--line);
}
h1 {
  margin: 0;
  font-size: 14px;
}
.variants {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
}
.image {
  grid-area: image;
  position: relative;
  min-height: 200px;
  overflow: hidden;
  background: var(--surround);
  touch-action: none;
}
.tools {
  grid-area: tools;
}
aside {
  grid-area: notes;
  overflow-y: auto;
  padding: 10px 14px;
  border-left: 1px solid var(--line);
  background: var(--surface-2);
}
form,
ol {
  display: grid;
  gap: 8px;
  margin: 0;
  padding: 0;
  list-style: none;
}
ol {
  margin-top: 12px;
}
li {
  padding: 6px 8px;
  border: 1px solid var(--line);
  overflow-wrap: anywhere;
}
li p {
  margin: 2px 0;
  white-space: pre-wrap;
}
.answer {
  padding-left: 10px;
  border-left: 2px solid var(--line);
}
.tools label,
header label {
  display: flex;
  align-items: center;
  gap: 6px;
}
input[type='range'] {
  width: 144px;
  accent-color: var(--accent);
}
li > .quiet {
  margin-left: 8px;
}
.done > p {
  color: var(--text-2);
}
.row {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px;
}
.row input {
  width: 110px;
}
.row button {
  margin-left: auto;
}
textarea,
select {
  padding: 4px 8px;
  border: 1px solid var(--line);
  background: var(--well);
  color: inherit;
  font: inherit;
}
.quiet {
  color: var(--text-2);
  font-size: 12px;
}
.warning {
  color: var(--warning);
}
.line {
  position: absolute;
  top: 0;
  bottom: 0;
  width: 1px;
  background: #fff;
  pointer-events: none;
}
.pin {
  position: absolute;
  min-width: 20px;
  height: 20px;
  padding: 0 4px;
  border: 1px solid #000;
  border-radius: 10px 10px 10px 0;
  background: var(--accent);
  color: var(--surface-1);
  font-size: 12px;
  line-height: 18px;
  text-align: center;
  transform: translate(0, -100%);
}
.new {
  pointer-events: none;
}
.ended {
  display: grid;
  place-content: center;
  height: 100vh;
  text-align: center;
}
@media (max-width: 760px) {
  .share {
    grid-template: 'head' auto 'image' 46vh 'tools' auto 'notes' auto / 1fr;
    height: auto;
    min-height: 100vh;
  }
  aside {
    border-left: 0;
    border-top: 1px solid var(--line);
  }
  button:not(.pin),
  select,
  input {
    min-height: 32px;
  }
}
</style>
<style>
/* On a phone the page is longer than its screen. */
body {
  overflow: auto;
}
</style>
