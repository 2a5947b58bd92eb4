<script setup lang="ts">
import { computed } from 'vue'
import type { BoardCell } from '@/api/types'
import { isNeutral, percent, stopsText, type Axis } from '@/stores/levels'
import { useLevelHand } from './useLevelHand'

const props = defineProps<{
  axis: Axis
  name: string
  label: string
  cell: BoardCell
  sheet: string
  tile: { width: number; height: number }
  extent: { columns: number; rows: number }
  bare?: boolean
}>()
const { level, chosen, on } = useLevelHand(props)
const HEIGHT = 36
const width = computed(() => Math.round((HEIGHT * props.tile.width) / props.tile.height))
const picture = computed(() => ({
  width: `${width.value}px`,
  backgroundImage: `url(${props.sheet})`,
  backgroundSize: `${width.value * props.extent.columns}px ${HEIGHT * props.extent.rows}px`,
  backgroundPosition: `-${width.value * props.cell.column}px -${HEIGHT * props.cell.row}px`,
}))
const state = computed(() => {
  if (level.value.mute) return 'off'
  if (level.value.solo) return 'alone'
  return isNeutral(level.value) ? '·' : stopsText(level.value.stops)
})
</script>

<template>
  <button
    type="button"
    class="tile"
    :class="{ chosen, changed: !isNeutral(level) }"
    :aria-label="`${label}, ${percent(cell.share)}, ${stopsText(level.stops)} stops`"
    :aria-pressed="chosen"
    :title="`${label}: ${percent(cell.share)} of the light. Drag sideways to change its level`"
    v-on="on"
  >
    <span class="small" :style="picture" />
    <span v-if="!bare" class="state" aria-hidden="true">{{ state }}</span>
    <i v-if="!bare" class="bar" :style="{ width: `${Math.min(100, cell.share * 100)}%` }" />
  </button>
</template>

<style scoped>
.tile {
  position: relative;
  display: flex;
  align-items: center;
  gap: 6px;
  width: 100%;
  height: 38px;
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
  height: 36px;
  background-color: #000;
}
.state {
  color: var(--text-3);
  white-space: nowrap;
}
.changed .state {
  color: var(--accent);
}
.bar {
  position: absolute;
  right: 0;
  bottom: 0;
  height: 2px;
  background: var(--text-2);
}
</style>
