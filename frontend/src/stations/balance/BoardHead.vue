<script setup lang="ts">
import { displayName, percent, stopsText } from '@/format'
import { NEUTRAL_LEVEL } from '@/api/defaults'
import { computed } from 'vue'
import { isNeutral, type Axis } from '@/document/levels'
import { useLevelTool } from './useLevelTool'

const props = defineProps<{
  axis: Axis
  name: string
  share: number
  colour?: [number, number, number] | number[]
}>()
const { level, chosen, locked, on } = useLevelTool(props)
const state = computed(() => {
  const { mute, solo, stops, kelvin } = level.value
  if (mute) return 'mute'
  if (locked.value) return `locked ${stopsText(stops)}`
  if (solo) return 'solo'
  return stops === 0 && kelvin !== NEUTRAL_LEVEL.kelvin ? `${kelvin} K` : stopsText(stops)
})
</script>

<template>
  <button
    type="button"
    class="head-cell"
    :class="{ chosen, changed: !isNeutral(level), across: axis === 'components' }"
    :aria-pressed="chosen"
    :title="
      locked ? `${displayName(name)} is locked` : `${displayName(name)}: drag sideways to change the level`
    "
    v-on="on"
  >
    <i v-if="colour" class="dot" :style="{ background: `rgb(${colour.join(',')})` }" />
    <span class="name">{{ displayName(name) }}</span>
    <span class="share">{{ percent(share) }}</span>
    <span class="state">{{ state }}</span>
  </button>
</template>

<style scoped>
.head-cell {
  display: grid;
  grid-template-columns: 16px 1fr auto;
  grid-template-rows: 17px 15px;
  align-items: center;
  width: 100%;
  height: 36px;
  padding: 1px 4px 1px 3px;
  border: 1px solid transparent;
  background: none;
  text-align: left;
  cursor: ew-resize;
  contain: strict;
  touch-action: none;
}
.across {
  grid-template-columns: 1fr auto auto;
  grid-template-rows: 20px;
  gap: 3px;
  height: 22px;
  padding-left: 4px;
}
.chosen {
  border-color: var(--accent);
}
.dot {
  grid-row: 1 / 3;
  width: 11px;
  height: 11px;
  border-radius: 50%;
}
.name {
  grid-column: 2 / 4;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.share {
  white-space: nowrap;
  grid-row: 2;
  grid-column: 2;
  color: var(--text-3);
  font-size: 11px;
}
.across .name {
  grid-column: 1;
}
.across .share {
  grid-row: 1;
  grid-column: 3;
}
.state {
  grid-row: 2;
  grid-column: 3;
  text-align: right;
}
.across .state {
  grid-row: 1;
  grid-column: 2;
}
.across:not(.changed) .state {
  display: none;
}
.changed .state {
  color: var(--accent);
}
</style>
