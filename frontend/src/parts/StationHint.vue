<script setup lang="ts">
import { computed } from 'vue'
import type { StationName } from '@/api/types'
import { useHints } from '@/stores/hints'
import { useRoom } from '@/stores/room'

/** At the first visit of a station: what to do there, in a sentence or two. */
const room = useRoom()
const hints = useHints()
const WORDS: Partial<Record<StationName, string>> = {
  source:
    'Every pass for what it is. Choose a tile to see its numbers, drag it to another role to correct it.',
  surface:
    'The hull band from ochre to deep teal: choose an object, turn its hue. Its light and highlights stay.',
  balance: 'Drag in the picture: up and down changes the light that makes that place, sideways its warmth.',
  beauty:
    'The passes add up, line by line, to the renderer’s own beauty. The last line is what no pass holds.',
  depth:
    'Click in the picture what shall be sharp, or pull a line for haze: from where it begins to where half is left.',
  lens: 'What glass and film do. Open an effect: its handles are in the picture. Neutral, nothing is touched.',
  finish: 'Corrections on the whole picture. Drag a scale, type its number, double click for neutral.',
  display: 'How light becomes a picture on this screen. Nothing here changes the light that is delivered.',
}
const words = computed(() => (hints.wanted(room.station) ? WORDS[room.station] : undefined))
</script>

<template>
  <aside v-if="words" class="hint" aria-label="Hint">
    <p>{{ words }}</p>
    <button type="button" @click="hints.put(room.station)">got it</button>
    <button type="button" @click="hints.putAll()">no more hints</button>
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
