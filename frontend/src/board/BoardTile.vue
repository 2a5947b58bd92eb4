<script setup lang="ts">
import { computed } from 'vue'
import type { BoardCell } from '@/api/types'
import { isNeutral, levelOf, NEUTRAL, percent, stopsText, type Axis } from '@/stores/levels'
import { useRoom } from '@/stores/room'
import { useShot } from '@/stores/shot'
import { useLevelDrag } from './useLevelDrag'

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
const shots = useShot()
const room = useRoom()
const drag = useLevelDrag()
const HEIGHT = 36
const width = computed(() => Math.round((HEIGHT * props.tile.width) / props.tile.height))
const picture = computed(() => ({
  width: `${width.value}px`,
  backgroundImage: `url(${props.sheet})`,
  backgroundSize: `${width.value * props.extent.columns}px ${HEIGHT * props.extent.rows}px`,
  backgroundPosition: `-${width.value * props.cell.column}px -${HEIGHT * props.cell.row}px`,
}))
/** Read here, so that a change draws anew what it changes alone. */
const level = computed(() => (shots.document ? levelOf(shots.document, props.axis, props.name) : NEUTRAL))
const chosen = computed(() => room.chosen?.axis === props.axis && room.chosen.name === props.name)
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
    @pointerdown="drag.begin($event, axis, name)"
    @pointermove="drag.move"
    @pointerrawupdate="drag.move"
    @pointerup="drag.end"
    @pointercancel="drag.end"
    @click="room.choose(axis, name)"
    @keydown.up.prevent="drag.step(axis, name, 1)"
    @keydown.down.prevent="drag.step(axis, name, -1)"
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
