<script setup lang="ts">
import { computed, onScopeDispose, ref } from 'vue'
import { fetchScope } from '@/api/client'
import type { Draft, StationName } from '@/api/types'
import { pointerThrottle } from '@/widgets/pointerThrottle'
import { useWorkspace } from '@/stores/workspace'
import { useSteadily } from '@/composables/useSteadily'
import { drawnCurve, nearestPoint, withPoint, type Point } from './curve'

/** A curve in stops around grey: its points are dragged, a click adds one, a double click takes one away. */
const props = defineProps<{ values: Record<string, unknown>; station: StationName }>()
const emit = defineEmits<{ moving: [change: object]; settled: [change: object] }>()

const CHANNELS = ['master', 'red', 'green', 'blue']
const LOW = -8
const HIGH = 8
const SIDE = 300
/** The ends of the scope's own scale, in stops. */
const SCOPE = [-10, 8] as const
const GRID = [-6, -4, -2, 0, 2, 4, 6]
const NEAR_STOPS = 0.5

const channel = ref('master')
const picture = ref<SVGSVGElement>()
const points = computed(() => (props.values[channel.value] as Point[] | undefined) ?? [])
const line = computed(() =>
  drawnCurve(points.value, LOW, HIGH)
    .map(([x, y]) => `${place(x)},${SIDE - place(y)}`)
    .join(' '),
)
let held: number | null = null
let takes = pointerThrottle()

/** The histogram of the picture there, in stops, under the curve. */
const workspace = useWorkspace()
const histogram = ref('')
async function load(id: number, draft: Draft) {
  const size = { kind: 'overlay', scale: 'stops', columns: SIDE, rows: 150 } as const
  const whole = { region: null, object_name: null, frame: workspace.frame, station: props.station }
  const address = await fetchScope(id, { ...size, ...whole, ...draft })
  if (histogram.value) URL.revokeObjectURL(histogram.value)
  histogram.value = address
}
useSteadily(load)
onScopeDispose(() => histogram.value && URL.revokeObjectURL(histogram.value))

const place = (stops: number) => ((stops - LOW) / (HIGH - LOW)) * SIDE

function at(event: PointerEvent | MouseEvent): Point {
  const box = picture.value!.getBoundingClientRect()
  const stops = (share: number) => Math.round((LOW + share * (HIGH - LOW)) * 100) / 100
  return [stops((event.clientX - box.left) / box.width), stops(1 - (event.clientY - box.top) / box.height)]
}

function change(next: Point[]) {
  return { [channel.value]: next }
}

function down(event: PointerEvent) {
  picture.value!.setPointerCapture(event.pointerId)
  takes = pointerThrottle()
  const here = at(event)
  held = nearestPoint(points.value, here, NEAR_STOPS)
  if (held !== null) return
  const next = withPoint(points.value, null, here)
  held = next.findIndex((point) => point[0] === here[0])
  emit('moving', change(next))
}

function move(event: PointerEvent) {
  if (held !== null && takes(event)) emit('moving', change(withPoint(points.value, held, at(event))))
}

function up(event: PointerEvent) {
  if (held !== null) emit('settled', change(withPoint(points.value, held, at(event))))
  held = null
}

function take(event: MouseEvent) {
  const index = nearestPoint(points.value, at(event), NEAR_STOPS)
  if (index !== null) emit('settled', change(points.value.filter((_, i) => i !== index)))
}
</script>

<template>
  <div class="curve">
    <div class="channels" role="group" aria-label="Curve">
      <button
        v-for="name in CHANNELS"
        :key="name"
        type="button"
        :aria-pressed="channel === name"
        @click="channel = name"
      >
        {{ name }}
      </button>
    </div>
    <svg
      ref="picture"
      :viewBox="`0 0 ${SIDE} ${SIDE}`"
      role="img"
      :aria-label="`${channel} curve in stops (0 = 0.18), ${points.length} points`"
      @pointerdown="down"
      @pointermove="move"
      @pointerrawupdate="move"
      @pointerup="up"
      @pointercancel="held = null"
      @dblclick="take"
    >
      <image
        v-if="histogram"
        :href="histogram"
        :x="place(SCOPE[0])"
        y="0"
        :width="place(SCOPE[1]) - place(SCOPE[0])"
        :height="SIDE"
        preserveAspectRatio="none"
        opacity="0.35"
      />
      <g v-for="stop in GRID" :key="stop" :class="{ grey: stop === 0 }">
        <line :x1="place(stop)" :x2="place(stop)" y1="0" :y2="SIDE" />
        <line :y1="SIDE - place(stop)" :y2="SIDE - place(stop)" x1="0" :x2="SIDE" />
        <text :x="place(stop) + 2" :y="SIDE - 3">
          {{ stop > 0 ? `+${stop}` : `${stop}`.replace('-', '−') }}
        </text>
      </g>
      <polyline :points="line" />
      <circle
        v-for="(point, index) in points"
        :key="index"
        :cx="place(point[0])"
        :cy="SIDE - place(point[1])"
        r="5"
      />
    </svg>
  </div>
</template>

<style scoped>
.curve {
  display: grid;
  gap: 4px;
}
.channels {
  display: flex;
  gap: 4px;
}
svg {
  width: 100%;
  background: var(--well);
  touch-action: none;
  cursor: crosshair;
}
line {
  stroke: var(--line);
  stroke-width: 0.5;
}
.grey line {
  stroke: var(--accent);
}
text {
  fill: var(--text-3);
  font-size: 9px;
}
polyline {
  fill: none;
  stroke: var(--text-1);
  stroke-width: 1.5;
}
circle {
  fill: var(--well);
  stroke: var(--accent);
  stroke-width: 1.5;
}
</style>
