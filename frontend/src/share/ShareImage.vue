<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import { computed, onBeforeUnmount, ref, shallowRef, watch } from 'vue'
import type { Region } from '@/api/types'
import { fetchImage } from './shareApi'
import type { useLine } from './line'

export interface View {
  /** The middle of what is seen, in pixels of the image, and screen pixels for each; scale 0: all of it. */
  x: number
  y: number
  scale: number
}

/**
 * A variant at a frame, seen through a view: while it changes an image as small as the line needs, at rest one of full
 * size, then the exact one where the line carries it, or on request.
 */
const props = defineProps<{
  variant: number
  revision: number
  frame: number
  width: number
  height: number
  view: View
  playing: boolean
  line: ReturnType<typeof useLine>
}>()
const emit = defineEmits<{ error: [unknown]; shown: [frame: number] }>()
const box = ref<HTMLElement>()
const { width: wide, height: high } = useElementSize(box)
const image = shallowRef<{ url: string; region: Region } | null>(null)
type Quality = 'preview' | 'compressed' | 'exact'
const quality = ref<Quality>('preview')
let coming: AbortController | null = null
let resting: ReturnType<typeof setTimeout> | undefined
const REST_MS = 250
/** While somebody edits, revisions follow one another: an exact image is loaded once one stays for so long. */
const STAYS_MS = 6000

const scale = computed(
  () => props.view.scale || Math.min(wide.value / props.width, high.value / props.height) || 1,
)
const left = computed(
  () => wide.value / 2 - (props.view.scale ? props.view.x : props.width / 2) * scale.value,
)
const top = computed(
  () => high.value / 2 - (props.view.scale ? props.view.y : props.height / 2) * scale.value,
)

/** What of the image is in sight. */
const seen = computed<Region>(() => {
  const x = Math.max(0, Math.floor(-left.value / scale.value))
  const y = Math.max(0, Math.floor(-top.value / scale.value))
  const right = Math.min(props.width, Math.ceil((wide.value - left.value) / scale.value))
  const bottom = Math.min(props.height, Math.ceil((high.value - top.value) / scale.value))
  return { x, y, width: Math.max(1, right - x), height: Math.max(1, bottom - y) }
})
const style = computed(() => {
  const region = image.value?.region
  if (!region) return {}
  return {
    left: `${left.value + region.x * scale.value}px`,
    top: `${top.value + region.y * scale.value}px`,
    width: `${region.width * scale.value}px`,
    height: `${region.height * scale.value}px`,
  }
})

/** Load what is seen. Returns whether it was shown: not where the next image was requested meanwhile. */
async function load(wanted: Quality): Promise<boolean> {
  if (!wide.value || !high.value) return false
  coming?.abort()
  const mine = (coming = new AbortController())
  const region = seen.value
  const pixels = sizeOf(region, wanted)
  const size = { width: Math.ceil(region.width * pixels), height: Math.ceil(region.height * pixels) }
  const exact = wanted === 'exact'
  const { variant, frame } = props
  try {
    const found = await fetchImage({ variant, frame, region, ...size, exact }, mine.signal)
    props.line.measure(found.blob.size, found.milliseconds, size.width * size.height, exact)
    if (image.value) URL.revokeObjectURL(image.value.url)
    image.value = { url: URL.createObjectURL(found.blob), region: found.region }
    quality.value = wanted
    emit('shown', frame)
    return true
  } catch (error) {
    if (!mine.signal.aborted) emit('error', error)
    return false
  }
}

/** Pixels of the image for each of the shot, along a side, and how many pixels that makes. */
const fullSize = () => Math.min(1, scale.value * devicePixelRatio)
const pixelCount = (region: Region) => region.width * region.height * fullSize() ** 2

function sizeOf(region: Region, wanted: Quality): number {
  return wanted === 'preview' ? fullSize() * props.line.shareWhileMoving(pixelCount(region)) : fullSize()
}

/** At rest: full size, and without loss where the line carries it. */
async function settleIfShown(isShown: boolean) {
  if (!isShown) return
  if (props.line.carriesExact(pixelCount(seen.value))) await load('exact')
  else await load('compressed')
}

watch(
  () => [props.variant, props.revision, props.frame, seen.value, props.playing, scale.value] as const,
  ([variant, revision], before) => {
    clearTimeout(resting)
    const mine = load('preview')
    const isEdited = variant === before[0] && revision !== before[1]
    const pause = isEdited ? STAYS_MS : REST_MS
    if (!props.playing) resting = setTimeout(() => void mine.then(settleIfShown), pause)
  },
  { deep: true },
)
onBeforeUnmount(() => {
  clearTimeout(resting)
  coming?.abort()
  if (image.value) URL.revokeObjectURL(image.value.url)
})
defineExpose({ left, top, scale, quality, loadExact: () => load('exact') })
</script>

<template>
  <div ref="box" class="box">
    <img v-if="image" :src="image.url" :style="style" alt="" draggable="false" />
  </div>
</template>

<style scoped>
.box {
  position: absolute;
  inset: 0;
  overflow: hidden;
}
img {
  position: absolute;
  image-rendering: auto;
  user-select: none;
}
</style>
