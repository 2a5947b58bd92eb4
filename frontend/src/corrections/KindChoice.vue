<script setup lang="ts">
import { until } from '@vueuse/core'
import { computed, onScopeDispose, shallowRef, watch } from 'vue'
import { fetchImage } from '@/api/client'
import { NO_AIDS } from '@/api/defaults'
import { usePlayback } from '@/stores/playback'
import { useWorkspace } from '@/stores/workspace'
import { useShot } from '@/stores/shot'
import { KINDS, titleOf, type Kind } from './kinds'

/** All kinds of correction, each with a small live image of the frame. */
const props = defineProps<{ place: string; made: (kind: Kind) => object }>()
const emit = defineEmits<{ chosen: [kind: Kind] }>()
const shots = useShot()
const workspace = useWorkspace()
const playback = usePlayback()
const WIDTH = 96
const kinds = KINDS.filter((one) => one.start)
const pictures = shallowRef<Record<string, string>>({})
/** Of an image that is much higher than wide, its middle. */
const TALLEST = 4
const shape = computed(() => {
  const { width, height } = shots.shot?.render.display ?? { width: 16, height: 9 }
  const shown = Math.min(height, width * TALLEST)
  const region = { x: 0, y: Math.floor((height - shown) / 2), width, height: shown }
  return { region, out_width: WIDTH, out_height: Math.max(1, Math.round((WIDTH * shown) / width)) }
})

/** The images come one after another, once the exact image of the newest edit is there and nothing plays. */
let newest = 0
async function load() {
  const id = shots.variant?.id
  const mine = (newest += 1)
  const isOver = () => mine !== newest
  for (const kind of kinds) {
    await until(() => (workspace.settled && !playback.playing) || isOver()).toBe(true)
    if (isOver() || id === undefined) return
    const patch = [{ op: 'add' as const, path: `${props.place}/-`, value: props.made(kind) }]
    const subject = {
      base: shots.variant?.head ?? null,
      patch,
      frame: workspace.frame,
      station: 'display' as const,
    }
    const request = { ...subject, ...shape.value, aids: NO_AIDS, live: true, viewer: `kind ${kind.kind}` }
    const image = await fetchImage(id, request).catch(() => null) // one that cannot be shown stays dark
    if (isOver()) return
    if (image) show(kind.kind, URL.createObjectURL(image.file))
  }
}

function show(kind: string, address: string) {
  const before = pictures.value[kind]
  pictures.value = { ...pictures.value, [kind]: address }
  if (before) URL.revokeObjectURL(before)
}

watch(() => shots.variant?.head, load, { immediate: true })
onScopeDispose(() => {
  newest += 1
  Object.values(pictures.value).forEach((address) => URL.revokeObjectURL(address))
})
</script>

<template>
  <div class="kinds" role="group" aria-label="Kinds of correction">
    <button
      v-for="kind in kinds"
      :key="kind.kind"
      type="button"
      :title="kind.hint"
      @click="emit('chosen', kind)"
    >
      <span class="small" :style="{ backgroundImage: `url(${pictures[kind.kind] ?? ''})` }" />
      {{ titleOf(kind) }}
    </button>
  </div>
</template>

<style scoped>
.kinds {
  display: grid;
  grid-template-columns: repeat(4, 1fr);
  gap: 4px;
}
.kinds button {
  min-width: 0;
  padding: 0 0 2px;
  overflow: hidden;
  text-indent: 4px;
  text-align: left;
  text-overflow: ellipsis;
  white-space: nowrap;
  font-size: 11px;
  line-height: 14px;
}
.small {
  display: block;
  width: 100%;
  height: 34px;
  background: #000 center / cover;
}
</style>
