<script setup lang="ts">
import { percent, pluralise } from '@/format'
import { computed, ref } from 'vue'
import type { ShelfMatte } from '@/api/types'

/** A matte on the shelf: its small picture, name, and the share of the picture that it covers. */
const props = defineProps<{
  matte: ShelfMatte
  sheet: string
  tile: { width: number; height: number }
  chosen: boolean
}>()
const emit = defineEmits<{ choose: []; dropped: [name: string] }>()
const DRAGGED = 'text/escala-matte'
const over = ref(false)
const picture = computed(() => ({
  width: `${props.tile.width}px`,
  height: `${props.tile.height}px`,
  backgroundImage: `url(${props.sheet})`,
  backgroundPosition: `-${props.matte.column * props.tile.width}px -${props.matte.row * props.tile.height}px`,
}))
const state = computed(() => {
  if (props.matte.waits.length) return 'waits'
  const uses = props.matte.uses.length
  return uses ? pluralise(uses, 'use') : ''
})

function drop(event: DragEvent) {
  over.value = false
  const name = event.dataTransfer?.getData(DRAGGED)
  if (name && name !== props.matte.name) emit('dropped', name)
}
</script>

<template>
  <button
    type="button"
    class="tile"
    :class="{ chosen, over }"
    :aria-pressed="chosen"
    draggable="true"
    :title="
      matte.waits.length
        ? `Missing input: ${matte.waits.join(', ')}`
        : `${matte.name}. Drag it onto another to combine both`
    "
    @click="emit('choose')"
    @dragstart="$event.dataTransfer?.setData(DRAGGED, matte.name)"
    @dragover.prevent="over = true"
    @dragleave="over = false"
    @drop.prevent="drop"
  >
    <span class="small" :style="picture" />
    <span class="name">{{ matte.name }}</span>
    <span class="share">{{ percent(matte.share) }} {{ state }}</span>
  </button>
</template>

<style scoped>
.tile {
  display: grid;
  gap: 1px;
  flex: none;
  width: 114px;
  padding: 0;
  border: 1px solid transparent;
  background: var(--well);
  text-align: left;
  font-size: 12px;
}
.tile.chosen,
.tile.over {
  border-color: var(--accent);
}
.small {
  background-color: #000;
  background-repeat: no-repeat;
}
.name,
.share {
  padding: 0 5px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.share {
  padding-bottom: 2px;
  color: var(--text-2);
}
</style>
