<script setup lang="ts">
import { computed, onScopeDispose, ref, watch } from 'vue'
import { fetchImage } from '@/api/client'
import { NO_AIDS } from '@/api/defaults'
import type { Mood, Region } from '@/api/types'
import { momentText } from '@/format'
import { useNotifications } from '@/stores/notifications'
import { useShot } from '@/stores/shot'
import { useWorkspace } from '@/stores/workspace'
import { VARIANT_DRAG } from './drag'

/** A variant as an image of the linked region, with what it has otherwise than the current one. */
const props = defineProps<{ mood: Mood; region: Region; isWhole: boolean; width: number; current: boolean }>()
const emit = defineEmits<{
  open: []
  /** A difference of this variant for the current one, or of another for this one. */
  take: [index: number]
  dropped: [data: string]
  /** It is dragged: shots that take its balance are to be shown. */
  lifted: []
  zoom: [by: number, at: { x: number; y: number }]
  pan: [dx: number, dy: number]
}>()
const shots = useShot()
const workspace = useWorkspace()
const notifications = useNotifications()
const source = ref('')
const shown = ref<Region | null>(null)
const over = ref(false)
/** Whether the exact image is shown. */
const settled = ref(false)
let given: AbortController | null = null
let resting: ReturnType<typeof setTimeout> | undefined
/** So long after its preview an image is requested in exact quality. */
const REST_MS = 400

const height = computed(() => Math.round((props.width * props.region.height) / props.region.width))
/** Until its own image is there, the last one is moved and scaled to the region. */
const placed = computed(() => {
  const { region } = props
  const at = shown.value ?? region
  const scale = props.width / region.width
  return {
    width: `${at.width * scale}px`,
    height: `${at.height * scale}px`,
    left: `${(at.x - region.x) * scale}px`,
    top: `${(at.y - region.y) * scale}px`,
  }
})

watch(
  () => [props.region, props.width, props.mood.head, workspace.frame, shots.renderKey],
  () => load(true),
  {
    immediate: true,
  },
)
onScopeDispose(() => {
  clearTimeout(resting)
  given?.abort()
  URL.revokeObjectURL(source.value)
})

function lift(event: DragEvent) {
  event.dataTransfer?.setData(VARIANT_DRAG, String(props.mood.id))
  emit('lifted')
}

/** Pixels of the requested image: those of the screen; a region seen whole is enlarged smoothly by the browser. */
function outSize() {
  const { region, isWhole } = props
  const scale = (props.width * window.devicePixelRatio) / region.width
  const share = isWhole ? Math.min(1, scale) : scale
  const pixels = (length: number) => Math.max(1, Math.round(length * share))
  return { width: pixels(region.width), height: pixels(region.height) }
}

async function load(live: boolean) {
  clearTimeout(resting)
  given?.abort()
  settled.value = false
  const mine = (given = new AbortController())
  const size = outSize()
  const body = {
    base: props.mood.head,
    patch: [],
    frame: workspace.frame,
    station: workspace.viewStation,
    region: props.region,
    out_width: size.width,
    out_height: size.height,
    aids: NO_AIDS,
    live,
    viewer: `mood ${props.mood.id}`,
  }
  try {
    const answer = await fetchImage(props.mood.id, body, mine.signal)
    if (mine.signal.aborted) return
    URL.revokeObjectURL(source.value)
    source.value = URL.createObjectURL(answer.file)
    shown.value = answer.region
    settled.value = !live
    if (live) resting = setTimeout(() => load(false), REST_MS)
  } catch (error) {
    if (!mine.signal.aborted) notifications.show(error)
  }
}

let from: { x: number; y: number } | null = null
let moved = false
function onDown(event: PointerEvent) {
  ;(event.currentTarget as HTMLElement).setPointerCapture(event.pointerId)
  from = { x: event.clientX, y: event.clientY }
  moved = false
}
function onMove(event: PointerEvent) {
  if (!from) return
  const [dx, dy] = [event.clientX - from.x, event.clientY - from.y]
  if (!moved && Math.hypot(dx, dy) < 4) return
  moved = true
  from = { x: event.clientX, y: event.clientY }
  const scale = props.region.width / props.width
  emit('pan', -dx * scale, -dy * scale)
}
function onUp() {
  if (from && !moved) emit('open')
  from = null
}
function onWheel(event: WheelEvent) {
  const box = (event.currentTarget as HTMLElement).getBoundingClientRect()
  const at = { x: (event.clientX - box.x) / box.width, y: (event.clientY - box.y) / box.height }
  emit('zoom', event.deltaY < 0 ? 1 / 1.2 : 1.2, at)
}
function onDrop(event: DragEvent) {
  over.value = false
  emit('dropped', event.dataTransfer?.getData('application/x-escala-difference') ?? '')
}
</script>

<template>
  <article
    class="mood"
    :class="{ current, over }"
    :aria-label="mood.name"
    @dragover.prevent="over = true"
    @dragleave="over = false"
    @drop.prevent="onDrop"
  >
    <div
      class="image"
      :style="{ width: `${width}px`, height: `${height}px` }"
      :data-settled="settled"
      title="Click to work on this variant; wheel to zoom all, drag to pan all"
      @pointerdown="onDown"
      @pointermove="onMove"
      @pointerup="onUp"
      @pointercancel="from = null"
      @wheel.prevent="onWheel"
    >
      <img v-if="source" :src="source" :alt="`Image of ${mood.name}`" :style="placed" draggable="false" />
    </div>
    <div class="line">
      <button
        type="button"
        class="title"
        draggable="true"
        title="Click to work on this variant; or drag it onto another shot"
        @click="emit('open')"
        @dragstart="lift"
      >
        {{ mood.name }}
      </button>
      <span class="quiet">{{ mood.changed ? momentText(mood.changed) : 'not edited' }}</span>
    </div>
    <p v-if="current" class="quiet">the current variant</p>
    <p v-else-if="!mood.differences.length" class="quiet">the same as the current variant</p>
    <p v-else class="words">
      <button
        v-for="(difference, index) in mood.differences"
        :key="difference.place"
        type="button"
        draggable="true"
        :title="`Click: apply “${difference.words}” to the current variant; or drag it onto another one`"
        @click="emit('take', index)"
        @dragstart="
          $event.dataTransfer?.setData('application/x-escala-difference', JSON.stringify([mood.id, index]))
        "
      >
        {{ difference.words }}
      </button>
    </p>
  </article>
</template>

<style scoped>
.mood {
  display: flex;
  flex-direction: column;
  gap: 2px;
}
.image {
  position: relative;
  overflow: hidden;
  background: var(--surround);
  cursor: pointer;
  touch-action: none;
}
.current .image {
  outline: 2px solid var(--accent);
}
.over .image {
  outline: 2px dashed var(--accent);
}
img {
  position: absolute;
  user-select: none;
}
.line {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
}
.title {
  padding: 0;
  border: 0;
  background: none;
  font-weight: 600;
}
.current .title {
  color: var(--accent);
}
.words {
  display: flex;
  flex-wrap: wrap;
  gap: 0 8px;
  max-height: 58px;
  margin: 0;
  overflow-y: auto;
}
.words button {
  padding: 0;
  border: 0;
  border-bottom: 1px dotted var(--text-3);
  background: none;
  color: var(--text-2);
  font-size: 12px;
  line-height: 16px;
}
p {
  margin: 0;
}
</style>
