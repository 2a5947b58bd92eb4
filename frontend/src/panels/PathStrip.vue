<script setup lang="ts">
import { displayName } from '@/format'
import { computed } from 'vue'
import type { StationName } from '@/api/types'
import { useWorkspace } from '@/stores/workspace'
import { useShot } from '@/stores/shot'

const shots = useShot()
const workspace = useWorkspace()
const stations = computed(() => shots.variant?.stations ?? [])

function go(name: string) {
  workspace.go(name as StationName)
}
</script>

<template>
  <nav class="path" aria-label="Path">
    <button
      v-for="station in stations"
      :key="station.name"
      type="button"
      class="station"
      :class="{ changes: station.changes, here: station.name === workspace.station }"
      :aria-current="station.name === workspace.station ? 'step' : undefined"
      :title="`${displayName(station.name)}: ${station.words}`"
      @click="go(station.name)"
    >
      <i v-if="station.name === workspace.viewStation" class="tap" aria-label="Viewed here" role="img" />
      <span class="name">{{ displayName(station.name) }}</span>
      <span class="words">{{ station.words }}</span>
    </button>
  </nav>
</template>

<style scoped>
.path {
  position: relative;
  display: grid;
  grid-auto-flow: column;
  grid-auto-columns: 1fr;
  height: 54px;
  padding: 0 14px;
  background: var(--surface-2);
  border-bottom: 1px solid var(--line);
}
.path::before {
  content: '';
  position: absolute;
  inset: 13px 14px auto;
  border-top: 1px solid var(--text-3);
}
.station {
  position: relative;
  display: flex;
  flex-direction: column;
  align-items: flex-start;
  padding: 20px 0 0;
  border: 0;
  background: none;
  min-width: 0;
}
.station::before {
  content: '';
  position: absolute;
  top: 9px;
  left: 0;
  height: 9px;
  border-left: 1px solid var(--text-2);
}
.station.changes::before {
  top: 6px;
  height: 14px;
  border-left: 3px solid var(--text-1);
}
.station.here::before {
  border-color: var(--accent);
}
.name {
  line-height: 15px;
}
.here .name {
  color: var(--accent);
  font-weight: 600;
}
.words {
  max-width: 100%;
  color: var(--text-3);
  font-size: 11px;
  padding-right: 8px;
  line-height: 14px;
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
}
.changes .words {
  color: var(--text-2);
}
.tap {
  position: absolute;
  top: 0;
  left: -5px;
  border: solid transparent;
  border-width: 6px 5.5px 0;
  border-top-color: var(--accent);
}
</style>
