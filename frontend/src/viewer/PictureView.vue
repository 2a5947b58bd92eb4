<script setup lang="ts">
import { computed, onMounted, onScopeDispose, ref, watch } from 'vue'
import { useRoom } from '@/stores/room'
import { useShot } from '@/stores/shot'
import { useTroubles } from '@/stores/troubles'
import { FrameCanvas, type Place } from './FrameCanvas'
import { Pace } from './pace'
import { PictureLoop, type Wish } from './PictureLoop'
import { usePictureHand } from './usePictureHand'

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

const size = computed(() => ({
  width: shots.shot?.render.display.width ?? 16,
  height: shots.shot?.render.display.height ?? 9,
}))

const now = new PictureLoop(`now ${page}`, {
  shown(answer, wish, settled) {
    frame?.show(answer.bitmap, wish.region)
    room.milliseconds = answer.milliseconds
    room.settled = settled
    if (!settled) room.pictures += 1
    if (wish.patch.length) pace.took(answer.milliseconds)
    shown.value = stateOf(wish.variantId, shots.variant?.head, wish.station, wish.frame)
    performance.mark('picture shown', { detail: { settled, patch: wish.patch } })
  },
  failed: (error) => troubles.tell(error),
})
const held = new PictureLoop(`held ${page}`, {
  shown: (answer, wish) => frame?.showHeld({ bitmap: answer.bitmap, region: wish.region }, wipeEdge()),
  failed: (error) => troubles.tell(error),
})

/** What a picture shows, in a word that tells whether it is the newest. */
function stateOf(
  variantId: number | undefined,
  head: number | undefined,
  station: string,
  frame: number | null,
): string {
  return `${variantId}.${head}.${station}.${frame}.${shots.renderKey}`
}
const wanted = computed(() => stateOf(shots.variant?.id, shots.variant?.head, room.tap, room.frame))

const moving = computed(() => shots.draft.length > 0)
const pace = new Pace()
watch(moving, (on) => !on && pace.rest())

function wish(): Wish | null {
  if (!frame || !shots.variant) return null
  const region = frame.region()
  const out = frame.outSize(region, moving.value ? pace.share : 1)
  return {
    variantId: shots.variant.id,
    patch: shots.draft,
    frame: room.frame,
    station: room.tap,
    aids: room.aids,
    region,
    out_width: out.width,
    out_height: out.height,
  }
}

function ask() {
  const next = wish()
  if (!next) return
  room.settled = false
  now.want(next, moving.value)
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
    room.frame,
    room.aids,
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
  () => room.light,
  () => frame?.dress(),
  { flush: 'post' },
)
watch(
  () => room.zoomWish,
  (wish) => {
    if (!frame || !wish) return
    if (wish.to === 'fit') frame.fit()
    else frame.zoom(wish.to === 'one' ? 1 : frame.scale * (wish.to === 'closer' ? 2 : 0.5))
  },
)

const hand = usePictureHand(() => frame, canvas, size, { pin: pinMark, wipe: wipeMark })
</script>

<template>
  <section class="picture" aria-label="Picture">
    <canvas
      ref="canvas"
      tabindex="0"
      role="img"
      aria-label="The picture. Arrow keys move the pin, the wheel zooms, drag to pan."
      :data-settled="room.settled && shown === wanted && !shots.saving"
      :class="{ gripping: hand.gripping.value }"
      @pointerdown="hand.onDown"
      @pointermove="hand.onMove"
      @pointerup="hand.onUp"
      @pointercancel="hand.cancel"
      @dblclick="frame?.fit()"
      @wheel.prevent="hand.onWheel"
      @keydown="hand.onKey"
    />
    <div v-if="pinMark" class="pin" :style="{ left: pinMark.x + 'px', top: pinMark.y + 'px' }" />
    <div
      v-if="pinMark && room.station === 'balance' && hand.words.value"
      class="bubble"
      :class="{ leftward: pinMark.x > (frame?.width ?? 0) - 250 }"
      :style="{ left: pinMark.x + 'px', top: pinMark.y + 'px' }"
      role="status"
    >
      {{ hand.words.value }}
      <span>{{ hand.moving.value || 'drag up or down: level, sideways: warmth' }}</span>
    </div>
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
  background: var(--surround);
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
