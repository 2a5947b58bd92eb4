<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import { computed, onBeforeUnmount, ref, shallowRef, watch } from 'vue'
import type { Region } from '@/api/types'
import { fetchImage } from './shareApi'

export interface View {
  /** The middle of what is seen, in pixels of the image, and screen pixels for each; scale 0: all of it. */
  x: number
  y: number
  scale: number
}

/** A variant at a frame, seen through a view: a quick image while it changes, then an exact one. */
const props = defineProps<{
  variant: number
  revision: number
  frame: number
  width: number
  height: number
  view: View
  playing: boolean
}>()
const emit = defineEmits<{ error: [unknown]; shown: [frame: number] }>()
const box = ref<HTMLElement>()
const { width: wide, height: high } = useElementSize(box)
const image = shallowRef<{ url: string; region: Region } | null>(null)
let coming: AbortController | null = null
let resting: ReturnType<typeof setTimeout> | undefined
const REST_MS = 250

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

async function load(exact: boolean) {
  if (!wide.value || !high.value) return
  coming?.abort()
  const mine = (coming = new AbortController())
  const region = seen.value
  const pixels = Math.min(1, scale.value * devicePixelRatio)
  const size = { width: Math.ceil(region.width * pixels), height: Math.ceil(region.height * pixels) }
  const { variant, frame } = props
  try {
    const found = await fetchImage({ variant, frame, region, ...size, exact }, mine.signal)
    if (image.value) URL.revokeObjectURL(image.value.url)
    image.value = { url: URL.createObjectURL(found.blob), region: found.region }
    emit('shown', frame)
  } catch (error) {
    if (!mine.signal.aborted) emit('error', error)
  }
}

watch(
  () => [props.variant, props.revision, props.frame, seen.value, props.playing, scale.value] as const,
  () => {
    clearTimeout(resting)
    void load(false)
    if (!props.playing) resting = setTimeout(() => void load(true), REST_MS)
  },
  { deep: true },
)
onBeforeUnmount(() => {
  clearTimeout(resting)
  coming?.abort()
  if (image.value) URL.revokeObjectURL(image.value.url)
})
defineExpose({ left, top, scale })
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
