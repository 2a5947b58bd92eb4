<script setup lang="ts">
import { computed, ref, shallowRef, watch } from 'vue'
import type { Curve, Lane } from '@/api/types'
import { curveOf, withKey } from '@/document/overTime'
import { useLanes } from '@/stores/lanes'
import { useShot } from '@/stores/shot'
import { useWorkspace } from '@/stores/workspace'
import { countOf, movedKeys, NO_KEYS, withoutKeys, type KeySelection, type KeysCurve } from './laneKeys'

/** The curves of all lanes over the frames, under one another or overlaid, and their keys. */
const { overlaid, boxing, rowHeight, height, frameX, frameAt, graduations, width } = defineProps<{
  overlaid: boolean
  /** Whether a drag beside the keys selects those in a box; else it looks at frames. */
  boxing: boolean
  rowHeight: number
  height: number
  width: number
  frameX: (frame: number) => number
  frameAt: (x: number) => number
  graduations: number[]
}>()
const shots = useShot()
const workspace = useWorkspace()
const lanes = useLanes()
const EDGE = 6

const numbers = computed(() => Object.keys(shots.shot?.render.frames ?? {}).map(Number))
const current = computed(() => workspace.frame ?? Math.min(...numbers.value))

type Range = [number, number]
const fieldOf = (lane: Lane) => lane.pointer.split('/').at(-1)
function rangeOf(several: Lane[]): Range {
  const all = several.flatMap((lane) => lane.values.flat())
  const [low, high] = [Math.min(...all), Math.max(...all)]
  const room = Math.max((high - low) * 0.1, Math.abs(high) * 0.02, 0.01)
  return [low - room, high + room]
}
/** The values that the height of each lane shows; overlaid, lanes of one kind of value share them. */
const ranges = computed(
  () =>
    new Map(
      lanes.lanes.map((lane) => [
        lane.pointer,
        rangeOf(overlaid ? lanes.lanes.filter((one) => fieldOf(one) === fieldOf(lane)) : [lane]),
      ]),
    ),
)

interface Row {
  lane: Lane
  top: number
  height: number
  range: Range
  keys: KeysCurve['keys']
}
const rows = computed<Row[]>(() =>
  lanes.lanes.map((lane, index) => {
    const curve = curveOf(shots.document, lane.pointer)
    return {
      lane,
      top: overlaid ? 0 : index * rowHeight,
      height: overlaid ? height : rowHeight,
      range: (drag.value?.ranges ?? ranges.value).get(lane.pointer) ?? rangeOf([lane]),
      keys: curve?.kind === 'keys' ? curve.keys : [],
    }
  }),
)
function y(row: Row, value: number): number {
  const [low, high] = row.range
  return row.top + row.height - EDGE - ((value - low) / (high - low)) * (row.height - 2 * EDGE)
}
const lineOf = (row: Row, channel: readonly number[]) =>
  channel
    .map((value, index) => `${frameX(lanes.frames[index]!).toFixed(1)},${y(row, value).toFixed(1)}`)
    .join(' ')
const valuesOf = (value: number | number[]) => (Array.isArray(value) ? value : [value])
const isChosen = (row: Row) => row.lane.pointer === lanes.chosen
const rowAt = (place: Place) =>
  overlaid ? rows.value.find(isChosen) : rows.value[Math.floor(place.y / rowHeight)]
/** The lane in front: its keys are above those of others. */
const inOrder = computed(() => [...rows.value].sort((a, b) => Number(isChosen(a)) - Number(isChosen(b))))

const selection = shallowRef<KeySelection>(NO_KEYS)
/** Whether a key is selected; while they move, by the frame at which it was. */
const isSelected = (row: Row, frame: number) =>
  selection.value.get(row.lane.pointer)?.has(frame - (drag.value?.by ?? 0)) ?? false
watch([() => shots.variant?.id, () => overlaid], () => (selection.value = NO_KEYS))

interface Place {
  x: number
  y: number
}
interface KeyDrag {
  row: Row
  begin: Place
  ranges: Map<string, Range>
  curves: Map<string, KeysCurve>
  changes: Map<string, Curve>
  by: number
}
const drag = shallowRef<KeyDrag | null>(null)
const box = ref<{ from: Place; to: Place } | null>(null)

function placeOf(event: MouseEvent): Place {
  const bounds = (event.currentTarget as SVGElement).getBoundingClientRect()
  return { x: event.clientX - bounds.x, y: event.clientY - bounds.y }
}

function lookAt(place: Place) {
  const wanted = frameAt(place.x)
  const number = numbers.value.reduce((a, b) => (Math.abs(b - wanted) < Math.abs(a - wanted) ? b : a))
  workspace.frame = number === Math.min(...numbers.value) ? null : number
}

function keysCurveOf(pointer: string): KeysCurve | null {
  const curve = curveOf(shots.document, pointer)
  return curve?.kind === 'keys' ? curve : null
}

function onDown(event: PointerEvent) {
  const svg = event.currentTarget as SVGElement
  svg.setPointerCapture(event.pointerId)
  const place = placeOf(event)
  const { pointer, frame } = (event.target as SVGElement).dataset
  const row = pointer === undefined ? rowAt(place) : rows.value.find((one) => one.lane.pointer === pointer)
  if (row) lanes.chosen = row.lane.pointer
  if (row && frame !== undefined) return grip(row, Number(frame), place)
  selection.value = NO_KEYS
  if (boxing || event.shiftKey) box.value = { from: place, to: place }
  else lookAt(place)
}

function grip(row: Row, frame: number, begin: Place) {
  dropMissing()
  if (!isSelected(row, frame)) selection.value = new Map([[row.lane.pointer, new Set([frame])]])
  const curves = new Map(
    [...selection.value.keys()].flatMap((pointer) => {
      const curve = keysCurveOf(pointer)
      return curve ? [[pointer, curve] as const] : []
    }),
  )
  drag.value = { row, begin, ranges: ranges.value, curves, changes: new Map(), by: 0 }
}

function onMove(event: PointerEvent) {
  if (!(event.currentTarget as SVGElement).hasPointerCapture(event.pointerId)) return
  const place = placeOf(event)
  if (drag.value) return moveKeys(drag.value, place)
  if (box.value) box.value = { ...box.value, to: place }
  else lookAt(place)
}

/** All that are selected move along the frames, those of the lane that is gripped in value, too. */
function moveKeys(moving: KeyDrag, place: Place) {
  const { row, begin, curves } = moving
  const [low, high] = row.range
  const by = Math.round(frameAt(place.x) - frameAt(begin.x))
  const rise = ((begin.y - place.y) / (row.height - 2 * EDGE)) * (high - low)
  const changes = new Map<string, Curve>()
  for (const [pointer, curve] of curves) {
    const lane = lanes.lanes.find((one) => one.pointer === pointer)
    const frames = selection.value.get(pointer)
    const moved =
      lane && frames && movedKeys(curve, frames, by, pointer === row.lane.pointer ? rise : 0, lane)
    if (!moved) return
    changes.set(pointer, moved)
  }
  // Back where it began, nothing is changed.
  drag.value = { ...moving, changes: by || rise ? changes : new Map(), by }
  lanes.preview(drag.value.changes)
}

function onUp() {
  const moving = drag.value
  if (moving?.changes.size) {
    keep(moving.changes, moving.row.lane, 'moved')
    selection.value = new Map(
      [...selection.value].map(([pointer, frames]) => [
        pointer,
        new Set([...frames].map((one) => one + moving.by)),
      ]),
    )
  } else if (box.value) selection.value = keysIn(box.value.from, box.value.to)
  drag.value = box.value = null
}

function keep(changes: Map<string, Curve>, lane: Lane, what: string) {
  const count = countOf(selection.value)
  const whose = changes.size === 1 ? `${lane.words}: ` : ''
  lanes.keep(changes, `${whose}${count === 1 ? 'key' : `${count} keys`} ${what}`)
}

function keysIn(from: Place, to: Place): KeySelection {
  const [left, right] = [Math.min(from.x, to.x), Math.max(from.x, to.x)]
  const [upper, lower] = [Math.min(from.y, to.y), Math.max(from.y, to.y)]
  const found = rows.value.map((row): [string, Set<number>] => [
    row.lane.pointer,
    new Set(
      row.keys
        .filter((key) => frameX(key.frame) >= left && frameX(key.frame) <= right)
        .filter((key) => valuesOf(key.value).some((one) => y(row, one) >= upper && y(row, one) <= lower))
        .map((key) => key.frame),
    ),
  ])
  return new Map(found.filter(([, frames]) => frames.size))
}

/** Keys may have been undone, or removed by others, since they were selected. */
function dropMissing() {
  const there = rows.value.map((row): [string, Set<number>] => [
    row.lane.pointer,
    new Set(row.keys.map((key) => key.frame).filter((frame) => isSelected(row, frame))),
  ])
  selection.value = new Map(there.filter(([, frames]) => frames.size))
}

/** The keyboard moves what is selected by a frame, or removes it. */
function onKey(event: KeyboardEvent) {
  dropMissing()
  const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key]
  if (!selection.value.size || (by === undefined && event.key !== 'Delete')) return
  event.preventDefault()
  event.stopPropagation()
  const changes = new Map<string, Curve>()
  let first: Lane | null = null
  for (const [pointer, frames] of selection.value) {
    const [lane, curve] = [lanes.lanes.find((one) => one.pointer === pointer), keysCurveOf(pointer)]
    if (!lane || !curve) continue
    const changed = by === undefined ? withoutKeys(curve, frames) : movedKeys(curve, frames, by, 0, lane)
    // The last key of a lane stays: "Stop moving" ends it.
    if (!changed) return
    first ??= lane
    changes.set(pointer, changed)
  }
  if (!first) return
  keep(changes, first, by === undefined ? 'removed' : 'moved')
  selection.value =
    by === undefined
      ? NO_KEYS
      : new Map(
          [...selection.value].map(([pointer, frames]) => [
            pointer,
            new Set([...frames].map((one) => one + by)),
          ]),
        )
}

function addKey(event: MouseEvent) {
  const place = placeOf(event)
  const lane = rowAt(place)?.lane
  const curve = lane && keysCurveOf(lane.pointer)
  if (!curve) return
  const frame = Math.round(frameAt(place.x))
  const index = lanes.frames.reduce(
    (best, at, i) => (Math.abs(at - frame) < Math.abs(lanes.frames[best]! - frame) ? i : best),
    0,
  )
  const values = lane.values.map((channel) => channel[index]!)
  const changed = withKey(curve, frame, values.length > 1 ? values : values[0]!)
  lanes.keep(new Map([[lane.pointer, changed]]), `${lane.words}: key added`)
}

const boxed = computed(() => {
  if (!box.value) return null
  const { from, to } = box.value
  return {
    x: Math.min(from.x, to.x),
    y: Math.min(from.y, to.y),
    width: Math.abs(to.x - from.x),
    height: Math.abs(to.y - from.y),
  }
})
</script>

<template>
  <svg
    class="chart"
    :class="{ overlaid, boxing }"
    :width="width"
    :height="height"
    role="img"
    aria-label="Curves of the lanes: arrow keys move the keys that are selected by a frame, Delete removes them"
    tabindex="0"
    @pointerdown="onDown"
    @pointermove="onMove"
    @pointerup="onUp"
    @pointercancel="onUp"
    @keydown="onKey"
    @dblclick="addKey"
  >
    <line
      v-for="at in graduations"
      :key="at"
      class="grid"
      :x1="frameX(at)"
      :x2="frameX(at)"
      y1="0"
      :y2="height"
    />
    <g v-for="(row, index) in inOrder" :key="row.lane.pointer" :class="{ chosen: isChosen(row) }">
      <line v-if="!overlaid && row.top" class="edge" x1="0" :x2="width" :y1="row.top" :y2="row.top" />
      <polyline
        v-for="(channel, at) in row.lane.values"
        :key="at"
        :class="row.lane.values.length > 1 ? `c${at}` : ''"
        :points="lineOf(row, channel)"
      />
      <template v-for="key in row.keys" :key="`${index} ${key.frame}`">
        <path
          v-for="(value, at) in valuesOf(key.value)"
          :key="at"
          class="key"
          :class="{ selected: isSelected(row, key.frame) }"
          :data-pointer="row.lane.pointer"
          :data-frame="key.frame"
          :d="`M${frameX(key.frame)} ${y(row, value) - 5} l5 5 l-5 5 l-5 -5 z`"
        />
      </template>
    </g>
    <line class="now" :x1="frameX(current)" :x2="frameX(current)" y1="0" :y2="height" />
    <rect v-if="boxed" class="box" v-bind="boxed" />
  </svg>
</template>

<style scoped>
.chart {
  touch-action: none;
  background: var(--well);
  cursor: ew-resize;
}
.chart:focus-visible {
  outline-width: 1px;
  outline-offset: -1px;
}
.boxing {
  cursor: crosshair;
}
polyline {
  fill: none;
  stroke: var(--accent);
  stroke-width: 1.5;
}
.overlaid g:not(.chosen) polyline,
.overlaid g:not(.chosen) .key {
  stroke: var(--text-3);
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
.edge {
  stroke: var(--line);
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
.key.selected {
  fill: var(--accent);
}
.box {
  fill: none;
  stroke: var(--text-2);
  stroke-dasharray: 3 2;
  pointer-events: none;
}
</style>
