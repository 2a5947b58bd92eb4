<script setup lang="ts">
import { ref } from 'vue'
import { upload } from '@/api/client'
import type { LayerFacts } from '@/api/types'
import { liftText } from '@/format'
import { useNotifications } from '@/stores/notifications'
import { useRowDrag } from '@/widgets/useRowDrag'
import AddLayer from './AddLayer.vue'
import { usePlate } from './usePlate'

/** The set from above: layers from back to front, the camera below; dragged nearer or farther. */
const plate = usePlate()
const notifications = useNotifications()
const adding = ref(false)
const filesOver = ref(false)
const drag = useRowDrag((id, to) => plate.move(id, to))

/** How near to the camera a row is, 0 at the back: the view is narrower there. */
const nearness = (index: number) => (index + 0.4) / plate.layers.value.length
const tile = (layer: LayerFacts) => ({
  width: `${plate.facts.value!.tile_width * 0.75}px`,
  height: `${plate.facts.value!.tile_height * 0.75}px`,
  backgroundImage: `url(${plate.sheet.value})`,
  backgroundSize: `${plate.facts.value!.tile_width * 0.75}px auto`,
  backgroundPosition: `0 -${layer.row * plate.facts.value!.tile_height * 0.75}px`,
})

function onOver(event: DragEvent) {
  filesOver.value = event.dataTransfer?.types.includes('Files') ?? false
  if (filesOver.value) event.preventDefault()
}

async function onDrop(event: DragEvent) {
  const files = [...(event.dataTransfer?.files ?? [])]
  filesOver.value = false
  if (!files.length) return
  event.preventDefault()
  for (const file of files) {
    try {
      const path = await upload(file, `layer-${Date.now()}`)
      plate.add(
        { kind: 'picture', path, corrections: [], move: [0, 0] },
        `Layer ${file.name} added`,
        'behind',
      )
    } catch (error) {
      notifications.show(error)
    }
  }
}
</script>

<template>
  <div
    class="set"
    :class="{ over: filesOver }"
    role="group"
    aria-label="Layers, seen from above"
    @dragover="onOver"
    @dragleave="filesOver = false"
    @drop="onDrop"
  >
    <div class="tools">
      <button type="button" :aria-expanded="adding" @click="adding = !adding">
        {{ adding ? 'Show layers' : 'Add a layer' }}
      </button>
      <span class="quiet">or drop an image, a sequence or a video here</span>
    </div>
    <AddLayer v-if="adding" @done="adding = false" />
    <div v-else-if="plate.facts.value" class="stage">
      <svg class="view" preserveAspectRatio="none" viewBox="0 0 100 100" aria-hidden="true">
        <path d="M4 0 L40 100 L75.5 0" />
      </svg>
      <div class="rows">
        <button
          v-for="(layer, index) in plate.layers.value"
          :key="layer.id"
          type="button"
          class="row"
          :class="{ chosen: layer.id === plate.chosenFacts.value?.id, off: layer.state !== 'ready' }"
          :style="{ '--near': nearness(index) }"
          :aria-pressed="layer.id === plate.chosenFacts.value?.id"
          v-bind="{ ...drag.handle(layer.id), ...drag.row(layer.id) }"
          title="Choose it; drag it nearer or farther"
          @click="plate.chosen.value = layer.id"
        >
          <span class="tile" :style="tile(layer)"
            ><small v-if="layer.lift">{{ liftText(layer.lift) }}</small></span
          >
          <span class="bar" />
          <span class="words">
            <strong>{{ layer.title }}</strong>
            <small :class="{ warning: layer.state === 'missing' }">{{
              layer.state === 'off' ? `off · ${layer.words}` : layer.words
            }}</small>
          </span>
        </button>
      </div>
      <span class="camera"><i aria-hidden="true" />camera</span>
    </div>
    <p v-else class="quiet">Reading the layers…</p>
  </div>
</template>

<style scoped>
.set {
  display: grid;
  grid-template-rows: auto minmax(0, 1fr);
  height: 100%;
}
.set.over {
  outline: 2px solid var(--accent);
  outline-offset: -2px;
}
.tools {
  display: flex;
  gap: 10px;
  align-items: center;
  padding: 4px 100px 4px 14px;
}
.stage {
  position: relative;
  display: grid;
  grid-template-rows: minmax(0, 1fr) 20px;
  min-height: 0;
}
.view {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
}
.view path {
  fill: none;
  stroke: var(--line);
  vector-effect: non-scaling-stroke;
}
.rows {
  position: relative;
  display: flex;
  flex-direction: column;
  justify-content: space-around;
  min-height: 0;
  overflow-y: auto;
}
/* The lines of sight meet the ends of each bar: 4% and 75.5% at the back, 40% at the camera. */
.row {
  position: relative;
  flex: none;
  height: 48px;
  padding: 0;
  border: 0;
  background: none;
  text-align: left;
}
.row > * {
  position: absolute;
  top: 50%;
  transform: translateY(-50%);
}
.row:hover:not(:disabled) {
  background: none;
}
.tile {
  left: max(8px, calc(4% + var(--near) * 36% - 86px));
  border: 1px solid var(--line);
  background-color: #000;
}
.tile small {
  padding: 0 3px;
  background: #000a;
  color: #ececec;
  font-size: 11px;
}
.bar {
  right: calc(24.5% + var(--near) * 36%);
  left: max(94px, calc(4% + var(--near) * 36%));
  height: 4px;
  background: var(--text-3);
}
.row:hover .bar {
  background: var(--text-1);
}
.chosen .bar,
.chosen strong {
  color: var(--accent);
}
.chosen .bar {
  background: var(--accent);
}
.off .bar {
  background: repeating-linear-gradient(90deg, var(--text-3) 0 6px, transparent 6px 12px);
}
.words {
  display: grid;
  right: 8px;
  left: calc(75.5% - var(--near) * 36% + 12px);
}
.words > * {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.words strong {
  font-weight: 500;
}
.words small {
  color: var(--text-2);
}
.drop-here {
  outline: 1px dashed var(--accent);
}
.camera {
  position: relative;
  justify-self: start;
  margin-left: calc(40% - 9px);
  color: var(--text-3);
  font-size: 12px;
}
.camera i {
  display: inline-block;
  margin-right: 6px;
  border: 8px solid transparent;
  border-top: 0;
  border-bottom: 14px solid var(--text-1);
}
</style>
