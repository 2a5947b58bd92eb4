<script setup lang="ts">
import { liftText, percent, stopsText } from '@/format'
import { computed } from 'vue'
import type { BoardCell } from '@/api/types'
import { isNeutral, type Axis } from '@/document/levels'
import { useWorkspace } from '@/stores/workspace'
import { useLevelTool } from './useLevelTool'

const props = defineProps<{
  axis: Axis
  name: string
  label: string
  cell: BoardCell
  sheet: string
  tile: { width: number; height: number }
  extent: { columns: number; rows: number }
  /** How high it is, in pixels. */
  height: number
  fullScreen?: boolean
}>()
const { level, chosen, on } = useLevelTool(props)
const workspace = useWorkspace()
const high = computed(() => props.height - 2)
const width = computed(() => Math.round((high.value * props.tile.width) / props.tile.height))
const picture = computed(() => ({
  width: `${width.value}px`,
  backgroundImage: `url(${props.sheet})`,
  backgroundSize: `${width.value * props.extent.columns}px ${high.value * props.extent.rows}px`,
  backgroundPosition: `-${width.value * props.cell.column}px -${high.value * props.cell.row}px`,
  height: `${high.value}px`,
}))
const lift = computed(() => (workspace.lifted ? liftText(props.cell.lift) : ''))
const state = computed(() => {
  if (level.value.mute) return 'mute'
  if (level.value.solo) return 'solo'
  return isNeutral(level.value) ? '' : stopsText(level.value.stops)
})
</script>

<template>
  <button
    type="button"
    class="tile"
    :class="{ chosen, changed: !isNeutral(level) }"
    :aria-pressed="chosen"
    :title="`${label}: ${percent(cell.share)} of the light${lift ? `, ${lift}` : ''}. Drag sideways to change the level`"
    :style="{ height: `${height}px` }"
    v-on="on"
  >
    <span class="small" :style="picture" :data-lift="lift ? `+${cell.lift}` : ''" />
    <span class="p-hidden-accessible">{{ label }}, </span>

    <span v-if="!fullScreen" class="words">
      <span class="share">{{ percent(cell.share) }}</span>
      <span class="state">{{ state }}</span>
    </span>
    <i v-if="!fullScreen" class="bar" :style="{ width: `${Math.min(100, cell.share * 100)}%` }" />
  </button>
</template>

<style scoped>
.tile {
  position: relative;
  display: flex;
  align-items: center;
  gap: 5px;
  width: 100%;
  padding: 0;
  border: 1px solid transparent;
  background: var(--well);
  text-align: left;
  cursor: ew-resize;
  overflow: hidden;
  contain: strict;
  touch-action: none;
}
.chosen {
  border-color: var(--accent);
}
.small {
  flex: none;
  background-color: #000;
}
.small::before {
  content: attr(data-lift);
  position: absolute;
  top: 0;
  left: 2px;
  color: #c8c8c8;
  font-size: 10px;
  line-height: 12px;
  text-shadow:
    0 0 2px #000,
    0 0 2px #000;
}
.words {
  position: absolute;
  top: 1px;
  right: 3px;
  display: grid;
  font-size: 12px;
  line-height: 15px;
  text-align: right;
  text-shadow:
    0 0 3px var(--well),
    0 0 3px var(--well);
  white-space: nowrap;
}
.state:empty {
  display: none;
}
.changed .state {
  color: var(--accent);
}
.bar {
  position: absolute;
  right: 0;
  bottom: 0;
  height: 3px;
  background: var(--text-2);
}
</style>
