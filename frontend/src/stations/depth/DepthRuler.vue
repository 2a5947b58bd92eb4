<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import type { Survey } from '@/api/types'
import { pointerThrottle } from '@/widgets/pointerThrottle'
import { typed } from '@/widgets/ruler'
import { distanceText } from './useDepth'

/** Distances of the frame, how often each occurs, and on them what is in focus, with the zone that stays sharp. */
const props = defineProps<{ survey: Survey; focus: number; sharp: [number, number] | null }>()
const emit = defineEmits<{ moving: [focus: number]; settled: [focus: number] }>()

const WIDTH = 320
const HEIGHT = 56
const STEP = 1.02
const box = ref<SVGSVGElement>()
const shown = ref(props.focus)
const text = ref('')
const typing = ref(false)
let held = false
let takes = pointerThrottle()
watch(
  () => props.focus,
  (focus) => {
    if (!held) shown.value = focus
  },
)
const low = computed(() => Math.min(props.survey.edges[0] ?? 0.1, shown.value))
const high = computed(() => Math.max(props.survey.edges.at(-1) ?? 100, shown.value, low.value * 1.01))
const span = computed(() => Math.log(high.value / low.value))
const placeOf = (distance: number) => (Math.log(Math.max(distance, 1e-9) / low.value) / span.value) * WIDTH
const within = (x: number) => Math.min(WIDTH, Math.max(0, x))
const outline = computed(() => {
  const { counts, edges } = props.survey
  const top = Math.max(1e-9, ...counts)
  const points = counts.map((count, i) => {
    const x = (placeOf(edges[i]!) + placeOf(edges[i + 1]!)) / 2
    return `${x.toFixed(1)},${(HEIGHT * (1 - 0.9 * Math.sqrt(count / top))).toFixed(1)}`
  })
  return `M0,${HEIGHT}L${points.join('L')}L${WIDTH},${HEIGHT}Z`
})
const zone = computed(() => {
  if (!props.sharp) return null
  const [near, far] = props.sharp.map((end) => within(placeOf(end)))
  return { x: near!, width: Math.max(2, far! - near!) }
})
/** 1, 2, 5, 10 … as far as they lie on it, and apart. */
const marks = computed(() => {
  const found: number[] = []
  for (let power = Math.floor(Math.log10(low.value)); power <= Math.ceil(Math.log10(high.value)); power += 1)
    for (const digit of [1, 2, 5]) found.push(digit * 10 ** power)
  const inside = found.filter((at) => placeOf(at) > 8 && placeOf(at) < WIDTH - 8)
  return inside.filter((at, i) => i === 0 || placeOf(at) - placeOf(inside[i - 1]!) > 22)
})

function focusAt(event: PointerEvent) {
  const { left, width } = box.value!.getBoundingClientRect()
  const share = Math.min(1, Math.max(0, (event.clientX - left) / width))
  const { edges } = props.survey
  const [first, last] = [edges[0] ?? low.value, edges.at(-1) ?? high.value]
  return Number((first * Math.exp(share * Math.log(last / first))).toPrecision(5))
}

function move(focus: number) {
  shown.value = focus
  emit('moving', focus)
}

function onDown(event: PointerEvent) {
  box.value!.setPointerCapture(event.pointerId)
  held = true
  takes = pointerThrottle()
  move(focusAt(event))
}

function onMove(event: PointerEvent) {
  if (held && takes(event)) move(focusAt(event))
}

function onUp() {
  if (held) emit('settled', shown.value)
  held = false
}

function onKey(event: KeyboardEvent) {
  const size = event.shiftKey ? 0.1 : 1
  const ways: Record<string, number> = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1, PageUp: 10, PageDown: -10 } // prettier-ignore
  const steps = ways[event.key]
  if (!steps) return
  event.preventDefault()
  move(Number((shown.value * STEP ** (steps * size)).toPrecision(5)))
  emit('settled', shown.value)
}

function take() {
  typing.value = false
  const value = typed(text.value)
  if (value === null || value <= 0 || value === shown.value) return
  move(value)
  emit('settled', value)
}
</script>

<template>
  <div class="ruler">
    <div class="head">
      <span>Focus distance</span>
      <input
        :value="typing ? text : distanceText(shown)"
        aria-label="Focus distance, number"
        inputmode="decimal"
        @focus="((typing = true), (text = String(shown)))"
        @input="text = ($event.target as HTMLInputElement).value"
        @blur="take"
        @keydown.enter="($event.target as HTMLInputElement).blur()"
      />
    </div>
    <svg
      ref="box"
      :viewBox="`0 0 ${WIDTH} ${HEIGHT + 16}`"
      role="slider"
      tabindex="0"
      aria-label="Focus distance"
      :aria-valuemin="low"
      :aria-valuemax="high"
      :aria-valuenow="shown"
      :aria-valuetext="`${distanceText(shown)} scene units`"
      @pointerdown="onDown"
      @pointermove="onMove"
      @pointerrawupdate="onMove"
      @pointerup="onUp"
      @pointercancel="onUp"
      @keydown="onKey"
    >
      <rect v-if="zone" class="zone" :x="zone.x" y="0" :width="zone.width" :height="HEIGHT" />
      <path class="often" :d="outline" />
      <line class="focus" :x1="placeOf(shown)" :x2="placeOf(shown)" y1="0" :y2="HEIGHT" />
      <g v-for="at in marks" :key="at">
        <line :x1="placeOf(at)" :x2="placeOf(at)" :y1="HEIGHT" :y2="HEIGHT + 4" />
        <text :x="placeOf(at)" :y="HEIGHT + 14">{{ at }}</text>
      </g>
    </svg>
  </div>
</template>

<style scoped>
.ruler {
  display: grid;
  gap: 4px;
}
.head {
  display: flex;
  align-items: baseline;
  gap: 8px;
}
.head span {
  flex: 1;
  color: var(--text-2);
  font-size: 12px;
}
input {
  width: 84px;
  padding: 0 2px;
  border: 0;
  background: none;
  color: var(--accent);
  font-weight: 600;
  text-align: right;
}
svg {
  width: 100%;
  background: var(--well);
  cursor: ew-resize;
  touch-action: none;
}
.often {
  fill: var(--text-3);
  opacity: 0.55;
}
.zone {
  fill: var(--accent);
  opacity: 0.28;
}
line {
  stroke: var(--text-3);
}
.focus {
  stroke: var(--accent);
  stroke-width: 2;
}
text {
  fill: var(--text-2);
  font-size: 10px;
  text-anchor: middle;
}
</style>
