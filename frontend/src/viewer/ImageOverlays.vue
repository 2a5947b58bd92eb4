<script setup lang="ts">
import { computed } from 'vue'
import { useOverlays } from '@/stores/overlays'
import { useWorkspace } from '@/stores/workspace'

/** What the open bench draws over the picture: circles, lines, handles to drag, words. */
const workspace = useWorkspace()
const marks = useOverlays()
const turned = computed(
  () =>
    `translate(${workspace.imageTransform.x} ${workspace.imageTransform.y}) scale(${workspace.imageTransform.scale})`,
)
const side = computed(() => 10 / workspace.imageTransform.scale)
const drawn = computed(() =>
  marks.marks.map((mark) => ({
    ...mark,
    path: mark.kind === 'line' ? mark.points.map(({ x, y }) => `${x},${y}`).join(' ') : '',
  })),
)
const words = computed(() => marks.marks.flatMap((mark) => (mark.kind === 'words' ? [mark] : [])))
const placed = (at: { x: number; y: number }) => {
  const { x, y, scale } = workspace.imageTransform
  return { left: `${x + at.x * scale + 14}px`, top: `${y + at.y * scale + 14}px` }
}
</script>

<template>
  <svg class="over-picture" aria-hidden="true">
    <g :transform="turned">
      <template v-for="(mark, i) in drawn" :key="i">
        <template v-if="mark.kind === 'circle'">
          <circle class="shade" :cx="mark.at.x" :cy="mark.at.y" :r="mark.radius" />
          <circle class="line" :cx="mark.at.x" :cy="mark.at.y" :r="mark.radius" data-mark="circle" />
        </template>
        <template v-else-if="mark.kind === 'line'">
          <polyline class="shade" :points="mark.path" />
          <polyline class="line" :points="mark.path" data-mark="line" />
        </template>
        <circle
          v-else-if="mark.kind === 'handle'"
          class="handle"
          :cx="mark.at.x"
          :cy="mark.at.y"
          :r="side / 2"
          :data-handle="mark.name"
        />
      </template>
    </g>
  </svg>
  <p v-for="mark in words" :key="mark.text" class="named" :style="placed(mark.at)" role="status">
    {{ mark.text }}
  </p>
</template>
