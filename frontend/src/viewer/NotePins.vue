<script setup lang="ts">
import { useNotes } from '@/stores/notes'
import { useWorkspace } from '@/stores/workspace'

/** Open notes at their places in the image, and the place of the one that is being written. */
const notes = useNotes()
const workspace = useWorkspace()

function placed(at: readonly [number, number]) {
  const { x, y, scale } = workspace.imageTransform
  return { left: `${x + at[0] * scale}px`, top: `${y + at[1] * scale}px` }
}
</script>

<template>
  <button
    v-for="note in notes.pinned"
    :key="note.id"
    type="button"
    class="note-pin"
    :class="{ chosen: note.id === notes.chosen }"
    :style="placed(note.place!)"
    :title="`${note.author}: ${note.text}`"
    :aria-label="`Note ${note.id} of ${note.author}`"
    @click="((notes.chosen = note.id), notes.show())"
  >
    {{ note.id }}
  </button>
  <span v-if="notes.place" class="note-pin new" :style="placed([notes.place.x, notes.place.y])">+</span>
</template>

<style scoped>
.note-pin {
  position: absolute;
  min-width: 20px;
  height: 20px;
  padding: 0 4px;
  border: 1px solid #000;
  border-radius: 10px 10px 10px 0;
  background: var(--accent);
  color: var(--surface-1);
  font-size: 12px;
  line-height: 18px;
  text-align: center;
  transform: translate(0, -100%);
}
.note-pin.chosen {
  outline: 2px solid var(--text-1);
}
.new {
  pointer-events: none;
}
</style>
