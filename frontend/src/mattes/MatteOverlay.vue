<script setup lang="ts">
import { computed, onScopeDispose, shallowRef, watch } from 'vue'
import { api, bodyOf, unwrap } from '@/api/client'
import { useWorkspace } from '@/stores/workspace'
import { useMattes } from '@/stores/mattes'
import { useShot } from '@/stores/shot'
import { useMatteTool } from './useMatteTool'
import { useObjectPicker, type Outline } from './useObjectPicker'

/** Over the picture while the mattes is open: outlines, what is pointed at, handles of what is drawn. */
const workspace = useWorkspace()
const shots = useShot()
const mattes = useMattes()
const pointing = useObjectPicker()
const tool = useMatteTool()
onScopeDispose(tool.take())
const outline = shallowRef<Outline[]>([])

const turned = computed(
  () =>
    `translate(${workspace.imageTransform.x} ${workspace.imageTransform.y}) scale(${workspace.imageTransform.scale})`,
)
const pathOf = (lines: Outline[]) =>
  lines.map((line) => `M${line.map(([x, y]) => `${x} ${y}`).join('L')}Z`).join('')
const chosen = computed(() => pathOf(outline.value))
const under = computed(() => (mattes.way === 'object' ? pathOf(pointing.under.value.outline) : ''))
const near = computed(() => workspace.hover && pointing.under.value.found.length > 0)
const label = computed(() => {
  const { x, y, scale } = workspace.imageTransform
  return workspace.hover
    ? { left: `${x + workspace.hover.x * scale + 16}px`, top: `${y + workspace.hover.y * scale + 12}px` }
    : {}
})
const openLine = computed(() => tool.open.value.map(([x, y]) => `${x},${y}`).join(' '))
const side = computed(() => 9 / workspace.imageTransform.scale)
const drag = computed(() => {
  const pulled = tool.frame.value
  if (!pulled) return null
  const { from, to } = pulled
  return { x: Math.min(from.x, to.x), y: Math.min(from.y, to.y), width: Math.abs(to.x - from.x), height: Math.abs(to.y - from.y) } // prettier-ignore
})

let busy = false
async function load(): Promise<void> {
  const [id, name] = [shots.variant?.id, mattes.chosen]
  if (id === undefined || !name || !mattes.matte) return void (outline.value = [])
  if (busy) return
  busy = true
  try {
    const params = { path: { variant_id: id } }
    const body = { name, frame: workspace.frame, ...bodyOf(shots.draft) }
    const answer = await unwrap<{ outline: Outline[] }>(
      api.POST('/api/variants/{variant_id}/mattes/outline', { params, body }),
    )
    outline.value = answer.outline
  } catch {
    outline.value = [] // it may have been taken away meanwhile
  } finally {
    busy = false
  }
  if (name !== mattes.chosen) await load()
}
watch(() => [mattes.chosen, mattes.matte, workspace.frame, shots.variant?.id], load, { immediate: true })
</script>

<template>
  <svg class="over-picture" aria-hidden="true">
    <g :transform="turned">
      <path v-if="mattes.seen === 'outline'" :d="chosen" class="shade" />
      <path v-if="mattes.seen === 'outline'" :d="chosen" class="line" data-outline="chosen" />
      <path :d="under" class="shade" />
      <path :d="under" class="line under" data-outline="under" />
      <polyline v-if="openLine" :points="openLine" class="line" />
      <circle
        v-for="([x, y], i) in tool.open.value"
        :key="i"
        :cx="x"
        :cy="y"
        :r="side / 2"
        class="handle"
        :class="{ first: i === 0 }"
      />
      <template v-for="handle in tool.handles.value" :key="handle.name">
        <rect
          v-if="handle.what === 'fade'"
          :x="handle.at.x - side / 2"
          :y="handle.at.y - side / 2"
          :width="side"
          :height="side"
          class="handle"
        />
        <circle v-else :cx="handle.at.x" :cy="handle.at.y" :r="side / 2" class="handle" />
      </template>
      <rect v-if="drag" v-bind="drag" class="line" />
    </g>
  </svg>
  <p v-if="near && tool.words()" class="named" :style="label" role="status">{{ tool.words() }}</p>
</template>

<style scoped>
.under {
  stroke-dasharray: 5 3;
}
.over-picture .first {
  fill: #f3e6c2;
}
</style>
