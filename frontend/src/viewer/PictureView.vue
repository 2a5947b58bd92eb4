<script setup lang="ts">
import { computed, onMounted, onScopeDispose, ref, watch } from 'vue'
import { useRoom } from '@/stores/room'
import { useShot } from '@/stores/shot'
import { useTroubles } from '@/stores/troubles'
import { FrameCanvas, type Place } from './FrameCanvas'
import { PictureLoop, type Wish } from './PictureLoop'

const shots = useShot()
const room = useRoom()
const troubles = useTroubles()
const canvas = ref<HTMLCanvasElement>()
/** Each page is a viewer of its own: its newer pictures replace only its own waiting ones. */
const page = Math.random().toString(36).slice(2)
const shown = ref('')
const pinMark = ref<Place | null>(null)
const wipeMark = ref<number | null>(null)
let frame: FrameCanvas | null = null
let down: { at: Place; last: Place; moved: boolean; wiping: boolean } | null = null

const size = computed(() => ({
  width: shots.shot?.render.display.width ?? 16,
  height: shots.shot?.render.display.height ?? 9,
}))

const now = new PictureLoop(`now ${page}`, {
  shown(answer, wish, settled) {
    frame?.show(answer.bitmap, wish.region)
    room.milliseconds = answer.milliseconds
    room.settled = settled
    shown.value = stateOf(wish.variantId, shots.variant?.head, wish.station)
    performance.mark('picture shown', { detail: { settled } })
  },
  failed: (error) => troubles.tell(error),
})
const held = new PictureLoop(`held ${page}`, {
  shown: (answer, wish) => frame?.showHeld({ bitmap: answer.bitmap, region: wish.region }, wipeEdge()),
  failed: (error) => troubles.tell(error),
})

/** What a picture shows, in a word that tells whether it is the newest. */
function stateOf(variantId: number | undefined, head: number | undefined, station: string): string {
  return `${variantId}.${head}.${station}.${shots.renderKey}`
}
const wanted = computed(() => stateOf(shots.variant?.id, shots.variant?.head, room.tap))

function wish(): Wish | null {
  if (!frame || !shots.variant) return null
  const region = frame.region()
  const out = frame.outSize(region)
  return {
    variantId: shots.variant.id,
    patch: shots.draft,
    frame: null,
    station: room.tap,
    region,
    out_width: out.width,
    out_height: out.height,
  }
}

function ask() {
  const next = wish()
  if (!next) return
  room.settled = false
  now.want(next, shots.draft.length > 0)
  if (room.held && room.comparing !== 'now') {
    const document = [{ op: 'replace' as const, path: '', value: room.held.document }]
    held.want({ ...next, patch: document }, false)
  }
}

function wipeEdge(): number | null {
  if (room.comparing === 'now' || !room.held) return null
  return room.comparing === 'held' ? 1 : room.wipe
}

function placeMarks() {
  if (!frame) return
  room.scale = frame.scale
  room.fitted = frame.fitted
  room.view = frame.region()
  pinMark.value = room.pin ? frame.toCanvas({ x: room.pin.x + 0.5, y: room.pin.y + 0.5 }) : null
  const edge = room.comparing === 'wipe' && room.held ? size.value.width * room.wipe : null
  wipeMark.value = edge === null ? null : frame.toCanvas({ x: edge, y: 0 }).x
}

onMounted(() => {
  if (!canvas.value) return
  frame = new FrameCanvas(canvas.value, size.value, () => {
    placeMarks()
    ask()
  })
})
onScopeDispose(() => {
  now.stop()
  held.stop()
  frame?.destroy()
})

watch(
  () => [
    shots.variant?.id,
    shots.variant?.head,
    shots.draft,
    shots.renderKey,
    room.tap,
    room.comparing,
    room.held,
  ],
  () => {
    frame?.showHeld(null, wipeEdge())
    placeMarks()
    ask()
  },
)
watch(size, (next, before) => {
  if (next.width !== before.width || next.height !== before.height) frame?.setPicture(next)
})
watch(
  () => room.wipe,
  () => {
    frame?.showHeld(null, wipeEdge())
    placeMarks()
  },
)
watch(() => room.pin, placeMarks)
watch(
  () => room.zoomWish,
  (wish) => {
    if (!frame || !wish) return
    if (wish.to === 'fit') frame.fit()
    else frame.zoom(wish.to === 'one' ? 1 : frame.scale * (wish.to === 'closer' ? 2 : 0.5))
  },
)

function placeOf(event: MouseEvent): Place {
  const box = canvas.value!.getBoundingClientRect()
  return { x: event.clientX - box.left, y: event.clientY - box.top }
}

function onDown(event: PointerEvent) {
  if (event.button !== 0 || !canvas.value) return
  canvas.value.setPointerCapture(event.pointerId)
  const at = placeOf(event)
  const wiping = wipeMark.value !== null && Math.abs(at.x - wipeMark.value) < 8
  down = { at, last: at, moved: false, wiping }
}

function onMove(event: PointerEvent) {
  if (!down || !frame) return
  const at = placeOf(event)
  if (Math.hypot(at.x - down.at.x, at.y - down.at.y) > 3) down.moved = true
  if (down.wiping) room.wipe = Math.min(0.98, Math.max(0.02, frame.toPicture(at).x / size.value.width))
  else if (down.moved) frame.pan(at.x - down.last.x, at.y - down.last.y)
  down.last = at
}

function onUp(event: PointerEvent) {
  if (!down || !frame) return
  if (!down.moved && !down.wiping) {
    const place = frame.toPicture(placeOf(event))
    const inside = place.x >= 0 && place.y >= 0 && place.x < size.value.width && place.y < size.value.height
    room.pin = inside ? { x: Math.floor(place.x), y: Math.floor(place.y) } : null
  }
  down = null
}

function onWheel(event: WheelEvent) {
  frame?.zoom(frame.scale * Math.exp(-event.deltaY * 0.0016), placeOf(event))
}

function movePin(dx: number, dy: number) {
  const pin = room.pin ?? { x: Math.floor(size.value.width / 2), y: Math.floor(size.value.height / 2) }
  room.pin = {
    x: Math.min(size.value.width - 1, Math.max(0, pin.x + dx)),
    y: Math.min(size.value.height - 1, Math.max(0, pin.y + dy)),
  }
}

function onKey(event: KeyboardEvent) {
  const step = event.shiftKey ? 10 : 1
  const moves: Record<string, [number, number]> = {
    ArrowLeft: [-step, 0],
    ArrowRight: [step, 0],
    ArrowUp: [0, -step],
    ArrowDown: [0, step],
  }
  const move = moves[event.key]
  if (move) movePin(...move)
  else return
  event.preventDefault()
}
</script>

<template>
  <section class="picture" aria-label="Picture">
    <canvas
      ref="canvas"
      tabindex="0"
      role="img"
      aria-label="The picture. Arrow keys move the pin, the wheel zooms, drag to pan."
      :data-settled="room.settled && shown === wanted && !shots.saving"
      @pointerdown="onDown"
      @pointermove="onMove"
      @pointerup="onUp"
      @pointercancel="down = null"
      @dblclick="frame?.fit()"
      @wheel.prevent="onWheel"
      @keydown="onKey"
    />
    <div v-if="pinMark" class="pin" :style="{ left: pinMark.x + 'px', top: pinMark.y + 'px' }" />
    <div v-if="wipeMark !== null" class="wipe-handle" :style="{ left: wipeMark + 'px' }">
      <span>{{ room.held?.name }}</span><span>now</span>
    </div>
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
  touch-action: none;
  cursor: crosshair;
}
.pin {
  position: absolute;
  width: 21px;
  height: 21px;
  margin: -10.5px;
  border: 1.5px solid var(--accent);
  outline: 1px solid #000;
  outline-offset: -3px;
  border-radius: 50%;
  pointer-events: none;
}
.wipe-handle {
  position: absolute;
  bottom: 8px;
  display: flex;
  gap: 14px;
  width: 240px;
  margin-left: -120px;
  pointer-events: none;
}
.wipe-handle span {
  flex: 1;
  color: #ececec;
  text-shadow: 0 0 3px #000;
}
.wipe-handle span:first-child {
  text-align: right;
}
</style>
