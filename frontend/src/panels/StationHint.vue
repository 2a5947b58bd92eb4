<script setup lang="ts">
import { computed } from 'vue'
import type { StationName } from '@/api/types'
import { useHints } from '@/stores/hints'
import { useWorkspace } from '@/stores/workspace'

/** At the first visit of a station: what to do there, in a sentence or two. */
const workspace = useWorkspace()
const hints = useHints()
const WORDS: Partial<Record<StationName, string>> = {
  source: 'All passes by role. Select one to inspect it; drag it onto a role to reassign it.',
  surface: 'Select an object, then change its hue. Shading and highlights are preserved.',
  balance: 'Drag in the image: up/down changes the level of the dominant light, left/right its temperature.',
  beauty:
    'The passes sum line by line to the renderer’s beauty. The last line is the residual: what no term explains.',
  depth:
    'Click in the image to set focus. Choose Set haze range and drag from the start distance to the 50% distance.',
  plate:
    'Layers from the back to the camera. Add a layer below, then drag a picture in the image to place it.',
  lens: 'Open an effect to edit it with handles in the image.',
  finish: 'Add corrections to the whole image. Drag a ruler or type its number; double-click resets it.',
  display: 'Display and view affect the screen and PNG. Input and working space affect the exported result.',
}
const words = computed(() => (hints.wanted(workspace.station) ? WORDS[workspace.station] : undefined))
</script>

<template>
  <aside v-if="words" class="hint" aria-label="Hint">
    <p>{{ words }}</p>
    <button type="button" @click="hints.put(workspace.station)">Got it</button>
    <button type="button" @click="hints.putAll()">Turn hints off</button>
  </aside>
</template>

<style scoped>
.hint {
  position: absolute;
  top: 0;
  right: 0;
  left: 0;
  display: flex;
  gap: 6px;
  align-items: center;
  padding: 5px 14px;
  background: var(--surface-1);
  border-bottom: 1px solid var(--line);
  color: var(--text-2);
}
.hint p {
  flex: 1;
}
.hint button {
  white-space: nowrap;
}
</style>
