<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import Select from 'primevue/select'
import { computed, ref } from 'vue'
import type { Curve, Lane } from '@/api/types'
import { curveOf, withKey } from '@/document/overTime'
import { useLanes } from '@/stores/lanes'
import { useShot } from '@/stores/shot'
import { useWorkspace } from '@/stores/workspace'
import { readout } from '@/widgets/ruler'
import { scaleOf } from './curves'

/** The lanes: frames across, one lane for each moving value, with its curve and its keys. */
const shots = useShot()
const workspace = useWorkspace()
const lanes = useLanes()
const area = ref<HTMLElement>()
const { width } = useElementSize(area)
const HEAD = 204
const PAD = 10
const HEIGHT = 48

type Keys = Extract<Curve, { kind?: 'keys' }>
const first = computed(() => lanes.frames[0] ?? 0)
const last = computed(() => lanes.frames.at(-1) ?? 1)
const numbers = computed(() => Object.keys(shots.shot?.render.frames ?? {}).map(Number))
const current = computed(() => workspace.frame ?? Math.min(...numbers.value))
/** What the button that hides the panel takes at the right. */
const FOLD = 92
const across = computed(() => Math.max(80, width.value - HEAD - 2 * PAD - FOLD))
const x = (frame: number) =>
  PAD + ((frame - first.value) / Math.max(1e-6, last.value - first.value)) * across.value
const frameAt = (place: number) => first.value + ((place - PAD) / across.value) * (last.value - first.value)

/** The values that the height of a lane shows. */
function rangeOf(lane: Lane): [number, number] {
  const all = lane.values.flat()
  const [low, high] = [Math.min(...all), Math.max(...all)]
  const room = Math.max((high - low) * 0.1, Math.abs(high) * 0.02, 0.01)
  return [low - room, high + room]
}
function y(lane: Lane, value: number): number {
  const [low, high] = rangeOf(lane)
  return HEIGHT - 6 - ((value - low) / (high - low)) * (HEIGHT - 12)
}
const lineOf = (lane: Lane, channel: readonly number[]) =>
  channel
    .map((value, index) => `${x(lanes.frames[index]!).toFixed(1)},${y(lane, value).toFixed(1)}`)
    .join(' ')
const keysOf = (lane: Lane) => {
  const curve = curveOf(shots.document, lane.pointer)
  return curve?.kind === 'keys' ? curve.keys : []
}
const valuesOf = (value: number | number[]) => (Array.isArray(value) ? value : [value])
const nowText = (lane: Lane) => lane.now.map((value) => readout(scaleOf(lane), value)).join(' ')
const graduations = computed(() => {
  const span = last.value - first.value
  const step =
    [1, 2, 5, 10, 20, 25, 50, 100, 200, 500].find((one) => (span / one) * 44 <= across.value) ?? 1000
  const start = Math.ceil(first.value / step) * step
  return Array.from(
    { length: Math.floor((last.value - start) / step) + 1 },
    (_, index) => start + index * step,
  )
})

/** A drag in a lane looks at other frames; one of a key moves it. */
let drag: { lane: Lane; keys: Keys; rest: Keys; change: Keys } | null = null
const nearest = (frame: number) =>
  numbers.value.reduce((a, b) => (Math.abs(b - frame) < Math.abs(a - frame) ? b : a))

function placeOf(event: PointerEvent) {
  const box = (event.currentTarget as SVGElement).getBoundingClientRect()
  return { x: event.clientX - box.x, y: event.clientY - box.y }
}

function lookAt(event: PointerEvent) {
  const number = nearest(frameAt(placeOf(event).x))
  workspace.frame = number === Math.min(...numbers.value) ? null : number
}

function onDown(lane: Lane, event: PointerEvent) {
  lanes.chosen = lane.pointer
  ;(event.currentTarget as SVGElement).setPointerCapture(event.pointerId)
  const at = (event.target as SVGElement).dataset.frame
  const curve = curveOf(shots.document, lane.pointer)
  if (at === undefined || curve?.kind !== 'keys') return lookAt(event)
  const frame = Number(at)
  const rest = { ...curve, keys: curve.keys.filter((key) => key.frame !== frame) }
  drag = {
    lane,
    keys: { ...curve, keys: curve.keys.filter((key) => key.frame === frame) },
    rest,
    change: curve,
  }
}

function onMove(event: PointerEvent) {
  if (!(event.currentTarget as SVGElement).hasPointerCapture(event.pointerId)) return
  if (!drag) return lookAt(event)
  const { lane, keys, rest } = drag
  const place = placeOf(event)
  const key = keys.keys[0]!
  const [low, high] = rangeOf(lane)
  const value = low + ((HEIGHT - 6 - place.y) / (HEIGHT - 12)) * (high - low)
  const limited = Math.min(lane.high, Math.max(lane.low, Number(value.toPrecision(4))))
  const moved = {
    ...key,
    frame: Math.round(frameAt(place.x)),
    value: Array.isArray(key.value) ? key.value : limited,
  }
  if (rest.keys.some((one) => one.frame === moved.frame)) return
  drag.change = { ...rest, keys: [...rest.keys, moved].sort((a, b) => a.frame - b.frame) }
  lanes.preview(lane.pointer, drag.change)
}

function onUp() {
  if (drag) lanes.keep(drag.lane.pointer, drag.change, `${drag.lane.words}: key moved`)
  drag = null
}

function addKey(lane: Lane, event: PointerEvent | MouseEvent) {
  const curve = curveOf(shots.document, lane.pointer)
  if (curve?.kind !== 'keys') return
  const frame = Math.round(frameAt(placeOf(event as PointerEvent).x))
  const index = lanes.frames.reduce(
    (best, at, i) => (Math.abs(at - frame) < Math.abs(lanes.frames[best]! - frame) ? i : best),
    0,
  )
  const values = lane.values.map((channel) => channel[index]!)
  lanes.keep(
    lane.pointer,
    withKey(curve, frame, values.length > 1 ? values : values[0]!),
    `${lane.words}: key added`,
  )
}

/** A new moving value begins as one key: its value at the present frame. */
function start(pointer: string) {
  const field = lanes.movable.find((one) => one.pointer === pointer)
  if (!field) return
  const value = field.values.length > 1 ? [...field.values] : field.values[0]!
  lanes.begin(pointer, field.words, value, current.value)
}
</script>

<template>
  <section ref="area" class="time" aria-label="Lanes">
    <div class="head">
      <Select
        :model-value="null"
        :options="lanes.movable"
        option-label="words"
        option-value="pointer"
        filter
        placeholder="Add a moving value"
        aria-label="Add a moving value"
        @update:model-value="start"
      />
      <svg :width="across + 2 * PAD" height="18" aria-hidden="true">
        <text v-for="at in graduations" :key="at" :x="x(at)" y="13">{{ at }}</text>
      </svg>
    </div>
    <div
      v-for="lane in lanes.lanes"
      :key="lane.pointer"
      class="lane"
      :class="{ chosen: lane.pointer === lanes.chosen }"
      role="group"
      :aria-label="lane.words"
    >
      <button
        type="button"
        class="name"
        :aria-pressed="lane.pointer === lanes.chosen"
        @click="lanes.chosen = lane.pointer"
      >
        <span>{{ lane.words }}</span>
        <b>{{ nowText(lane) }}</b>
        <small>{{ lane.sentence }}</small>
      </button>
      <svg
        :width="across + 2 * PAD"
        :height="HEIGHT"
        :aria-label="`Curve of ${lane.words}`"
        role="img"
        @pointerdown="onDown(lane, $event)"
        @pointermove="onMove"
        @pointerup="onUp"
        @pointercancel="onUp"
        @dblclick="addKey(lane, $event)"
      >
        <line v-for="at in graduations" :key="at" class="grid" :x1="x(at)" :x2="x(at)" y1="0" :y2="HEIGHT" />
        <polyline
          v-for="(channel, index) in lane.values"
          :key="index"
          :class="`c${lane.values.length > 1 ? index : ''}`"
          :points="lineOf(lane, channel)"
        />
        <template v-for="key in keysOf(lane)" :key="key.frame">
          <path
            v-for="(value, index) in valuesOf(key.value)"
            :key="index"
            class="key"
            :data-frame="key.frame"
            :d="`M${x(key.frame)} ${y(lane, value) - 5} l5 5 l-5 5 l-5 -5 z`"
          />
        </template>
        <line class="now" :x1="x(current)" :x2="x(current)" y1="0" :y2="HEIGHT" />
      </svg>
    </div>
    <p v-if="!lanes.lanes.length" class="quiet empty">
      Nothing moves over time. Add a value, or press ~ beside a ruler: keys, pulse, flicker, sweep, ramp,
      follow.
    </p>
  </section>
</template>

<style scoped>
.time {
  height: 100%;
  overflow-y: auto;
  padding: 2px 0;
}
.head {
  display: grid;
  grid-template-columns: v-bind('`${HEAD}px`') 1fr;
  align-items: center;
  padding-left: 8px;
}
.head text {
  fill: var(--text-3);
  font-size: 11px;
  text-anchor: middle;
}
.head :deep(.p-select) {
  width: 184px;
}
.lane {
  display: grid;
  grid-template-columns: v-bind('`${HEAD}px`') 1fr;
  border-top: 1px solid var(--line);
}
.lane.chosen {
  background: var(--surface-3);
}
.name {
  display: grid;
  grid-template-columns: 1fr auto;
  align-content: center;
  gap: 0 8px;
  border: 0;
  background: none;
  text-align: left;
  line-height: 16px;
}
.name span {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.name small {
  grid-column: 1 / 3;
  overflow: hidden;
  color: var(--text-3);
  font-size: 11px;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.chosen .name span {
  color: var(--accent);
}
.name b {
  font-weight: 400;
  color: var(--accent);
}
.lane svg {
  touch-action: none;
  background: var(--well);
  cursor: ew-resize;
}
polyline {
  fill: none;
  stroke: var(--accent);
  stroke-width: 1.5;
}
.c0 {
  stroke: #d98a80;
}
.c1 {
  stroke: #8fbf85;
}
.c2 {
  stroke: #87a5dc;
}
.grid {
  stroke: var(--line);
  stroke-width: 0.5;
}
.now {
  stroke: var(--text-2);
  pointer-events: none;
}
.key {
  fill: var(--well);
  stroke: var(--accent);
  stroke-width: 1.5;
  cursor: move;
}
.empty {
  padding: 14px;
}
</style>
