<script setup lang="ts">
import { computed, onMounted, onScopeDispose, ref, watch } from 'vue'
import MatteOverlay from '@/mattes/MatteOverlay.vue'
import StationHint from '@/panels/StationHint.vue'
import { usePointerTool } from '@/stores/pointerTool'
import { useHolds } from '@/stores/holds'
import { useWorkspace } from '@/stores/workspace'
import { useMattes } from '@/stores/mattes'
import { useShot } from '@/stores/shot'
import { FrameCanvas } from './FrameCanvas'
import type { Place } from './framing'
import ImageOverlays from './ImageOverlays.vue'
import NotePins from './NotePins.vue'
import HoverReadout from './HoverReadout.vue'
import { useDroppedImage } from './useDroppedImage'
import { useImagePointer } from './useImagePointer'
import { useImages } from './useImages'
import { LEGIBLE, usePixelValues } from './usePixelValues'

interface Mark extends Place {
  number: number
  chosen: boolean
}

const shots = useShot()
const workspace = useWorkspace()
const holds = useHolds()
const pointerTools = usePointerTool()
const mattes = useMattes()
const canvas = ref<HTMLCanvasElement>()
const sheet = ref<HTMLCanvasElement>()
const pinMarks = ref<Mark[]>([])
const wipeMark = ref<Place | null>(null)
const paneLabels = ref<(Place & { name: string })[]>([])
let frame: FrameCanvas | null = null

const size = computed(() => ({
  width: shots.shot?.render.display.width ?? 16,
  height: shots.shot?.render.display.height ?? 9,
}))
const pictures = useImages(() => frame)
const dropped = useDroppedImage()
const pinMark = computed(() => pinMarks.value.find((mark) => mark.chosen) ?? null)
const values = usePixelValues(() => frame, sheet)

function placeMarks() {
  if (!frame) return
  workspace.scale = frame.scale
  workspace.fitted = frame.fitted
  workspace.view = frame.region()
  workspace.imageTransform = { ...frame.toCanvas({ x: 0, y: 0 }), scale: frame.scale }
  pinMarks.value = workspace.pins.map((pin, index) => ({
    ...frame!.toCanvas({ x: pin.x + 0.5, y: pin.y + 0.5 }),
    number: index + 1,
    chosen: index === workspace.chosenPin,
  }))
  const wiping = holds.comparing && holds.mode === 'wipe'
  wipeMark.value = wiping ? frame.wipePlace(holds.wipe) : null
  paneLabels.value = labels()
}

/** What each part of the picture shows, where there is more than one. */
function labels(): (Place & { name: string })[] {
  const names = ['Current', ...pictures.onScreen.value.map((hold) => hold.name)]
  if (!holds.comparing || !frame) return []
  if (holds.mode === 'side')
    return frame.panes().map((pane, i) => ({ x: pane.x, y: pane.y, name: names[i]! }))
  if (holds.mode === 'split')
    return names.map((name, i) => ({ x: (i * frame!.size.width) / names.length, y: 0, name }))
  if (holds.mode === 'held') return [{ x: 0, y: 0, name: names[1]! }]
  if (holds.mode === 'difference') return [{ x: 0, y: 0, name: `Difference from ${holds.first!.name}` }]
  return []
}

onMounted(() => {
  if (!canvas.value) return
  pictures.begin(canvas.value)
  frame = new FrameCanvas(canvas.value, size.value, {
    framed(framing) {
      pictures.frame(framing)
      placeMarks()
      values.paint()
    },
    moved: pictures.requestImages,
  })
  placeMarks()
  pictures.requestImages()
})
onScopeDispose(() => frame?.destroy())

watch([pictures.arrangement, () => holds.holds], ([next]) => {
  pictures.keep()
  frame?.arrange(next)
})
watch(
  () => [
    [shots.variant?.id, shots.variant?.head, shots.draft, shots.renderKey],
    [workspace.viewStation, workspace.frame, workspace.aids, workspace.passShown],
    [mattes.open && mattes.seen, mattes.chosen],
    [holds.shown, holds.mode, holds.gain, holds.measure],
  ],
  pictures.requestImages,
)
watch(size, (next, before) => {
  if (next.width !== before.width || next.height !== before.height) frame?.setPicture(next)
})
watch(() => [workspace.pins, workspace.chosenPin, holds.shown, holds.mode], placeMarks)
watch(
  () => workspace.lightTheme,
  () => frame?.dress(),
  { flush: 'post' },
)
watch(
  () => workspace.zoomCommand,
  (request) => {
    if (!frame || !request) return
    if (request.to === 'fit') frame.fit()
    else frame.zoom(request.to === 'one' ? 1 : frame.scale * (request.to === 'closer' ? 2 : 0.5))
  },
)

const pointer = useImagePointer(() => frame, canvas, size, { pin: pinMark, wipe: wipeMark })
</script>

<template>
  <section
    class="picture"
    :class="{ target: dropped.over.value }"
    aria-label="Image"
    @dragover.prevent="dropped.onOver"
    @dragleave="dropped.onLeave"
    @drop.prevent="dropped.onDrop"
  >
    <canvas
      ref="canvas"
      tabindex="0"
      role="img"
      aria-label="Image. Arrow keys move the pin, the wheel zooms, drag to pan."
      :data-settled="workspace.settled && !shots.saving"
      :class="{ gripping: pointer.gripping.value }"
      @pointerdown="pointer.onDown"
      @pointermove="pointer.onMove"
      @pointerrawupdate="pointer.onEarlyMove"
      @pointerleave="pointer.onLeave"
      @pointerup="pointer.onUp"
      @pointercancel="pointer.cancel"
      @dblclick="frame?.fit()"
      @wheel.prevent="pointer.onWheel"
      @keydown="pointer.onKey"
    />
    <canvas v-if="workspace.scale >= LEGIBLE" ref="sheet" class="values" aria-hidden="true" />
    <MatteOverlay v-if="mattes.open" />
    <ImageOverlays v-else />
    <NotePins />
    <div
      v-for="mark in pinMarks"
      :key="mark.number"
      class="pin"
      :class="{ chosen: mark.chosen }"
      :style="{ left: mark.x + 'px', top: mark.y + 'px' }"
    >
      <span v-if="pinMarks.length > 1">{{ mark.number }}</span>
    </div>
    <div
      v-if="pinMark && !pointerTools.grip?.everywhere && pointerTools.grip?.words()"
      class="bubble"
      :class="{ leftward: pinMark.x > (frame?.size.width ?? 0) - 250 }"
      :style="{ left: pinMark.x + 'px', top: pinMark.y + 'px' }"
      role="status"
    >
      {{ pointerTools.grip.words() }}
      <span>{{ pointerTools.grip.doing() }}</span>
    </div>
    <div
      v-if="wipeMark"
      class="wipe-handle"
      :style="{ left: wipeMark.x + 'px', top: wipeMark.y + 'px', rotate: `${holds.wipe.angle}deg` }"
    >
      <span>{{ holds.first?.name }}</span><i /><span>Current</span>
    </div>
    <span
      v-for="label in paneLabels"
      :key="`${label.name} ${label.x} ${label.y}`"
      class="pane-label"
      :style="{ left: label.x + 8 + 'px', top: label.y + 6 + 'px' }"
      >{{ label.name }}</span
    >
    <HoverReadout />
    <StationHint v-if="!workspace.fullScreen && !workspace.sheetOver" />
    <p v-if="dropped.over.value" class="drop-words">Drop to compare</p>
  </section>
</template>

<style scoped>
.picture {
  position: relative;
  min-width: 0;
  min-height: 0;
  background: var(--surround);
  overflow: hidden;
}
canvas {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  background: var(--surround);
  touch-action: none;
  cursor: crosshair;
}
.values {
  background: none;
  pointer-events: none;
}
.pin {
  position: absolute;
  width: 21px;
  height: 21px;
  margin: -10.5px;
  border: 1.5px solid #f3e6c2;
  outline: 1px solid #000;
  outline-offset: -3px;
  border-radius: 50%;
  pointer-events: none;
}
.gripping {
  cursor: move;
}
.bubble {
  position: absolute;
  margin: -30px 0 0 20px;
  padding: 4px 10px;
  background: var(--surface-1);
  font-size: 12px;
  line-height: 16px;
  white-space: nowrap;
  pointer-events: none;
}
.bubble.leftward {
  margin-left: -20px;
  translate: -100% 0;
}
.bubble span {
  display: block;
  color: var(--text-2);
}
.pin:not(.chosen) {
  border-color: #ececec;
  opacity: 0.8;
}
.pin span {
  position: absolute;
  top: -15px;
  left: 15px;
  color: #ececec;
  font-size: 11px;
  text-shadow: 0 0 3px #000;
}
.wipe-handle {
  position: absolute;
  display: flex;
  align-items: center;
  gap: 8px;
  width: 320px;
  margin: -10px 0 0 -160px;
  color: #ececec;
  text-shadow: 0 0 3px #000;
  pointer-events: none;
}
.wipe-handle span {
  flex: 1;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.wipe-handle span:first-child {
  text-align: right;
}
.wipe-handle i {
  width: 9px;
  height: 21px;
  border: 1.5px solid #f3e6c2;
  background: #1c1c1c;
}
.pane-label,
.drop-words {
  position: absolute;
  padding: 1px 8px;
  background: var(--surface-1);
  color: var(--text-1);
  font-size: 12px;
  pointer-events: none;
}
.drop-words {
  left: 50%;
  top: 45%;
  padding: 6px 14px;
  translate: -50% 0;
}
.picture.target {
  outline: 2px solid var(--accent);
  outline-offset: -2px;
}
</style>
