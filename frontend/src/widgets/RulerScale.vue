<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import { useLanes } from '@/stores/lanes'
import { useShot } from '@/stores/shot'
import { pointerThrottle } from './pointerThrottle'
import { blockOf, clampTo, graduations, placeOf, readout, typed, type RulerScale } from './ruler'

const props = defineProps<{
  label: string
  value: number
  scale: RulerScale
  note?: string
  /** Where the value stands in the document, if it can move over time. */
  pointer?: string
}>()
/** `moving` while dragged or stepped, `settled` once at its end: that is the edit to keep. */
const emit = defineEmits<{ moving: [value: number]; settled: [value: number] }>()

const ruler = ref<HTMLElement>()
const { width } = useElementSize(ruler)
const text = ref('')
const typing = ref(false)
const shown = ref(props.value)
let grip: { x: number; value: number } | null = null
let takes = pointerThrottle()
const shots = useShot()
const lanes = useLanes()
const moves = computed(() => lanes.isMoving(props.pointer))
const overTime = () =>
  moves.value
    ? lanes.show(props.pointer!)
    : lanes.begin(props.pointer!, props.label, props.value, lanes.frameNow())

watch(
  () => props.value,
  (value) => {
    if (!grip) shown.value = value
  },
)
const block = computed(() => blockOf(props.scale, shown.value))
const marks = computed(() => graduations(props.scale, block.value))
const middle = computed(() => (width.value || 120) / 2)
/** The scale is drawn a few screens wide, and moved under the pointer. */
const moved = computed(() => `translateX(${middle.value - placeOf(props.scale, shown.value)}px)`)
const reading = computed(() => readout(props.scale, shown.value))
const isNeutral = computed(() => Math.abs(shown.value - props.scale.neutral) < 10 ** -props.scale.digits / 2)

function move(value: number) {
  shown.value = clampTo(props.scale, value)
  emit('moving', shown.value)
}

const settle = () => emit('settled', shown.value)

/** One step: of many that come one after another one edit is made, whatever becomes of the ruler meanwhile. */
function nudge(steps: number) {
  move(shown.value + steps * props.scale.step)
  shots.asSteps(settle)
}

function onDown(event: PointerEvent) {
  ;(event.currentTarget as HTMLElement).setPointerCapture(event.pointerId)
  grip = { x: event.clientX, value: shown.value }
  takes = pointerThrottle()
}

function onMove(event: PointerEvent) {
  if (!grip || !takes(event)) return
  const fine = event.shiftKey ? 0.1 : 1
  move(grip.value - ((event.clientX - grip.x) / props.scale.spacing) * props.scale.step * fine)
}

function onUp() {
  const changed = grip && grip.value !== shown.value
  grip = null
  if (changed) settle()
}

function onKey(event: KeyboardEvent) {
  const size = event.shiftKey ? 0.1 : 1
  const steps: Record<string, number> = {
    ArrowUp: size,
    ArrowRight: size,
    ArrowDown: -size,
    ArrowLeft: -size,
    PageUp: props.scale.major,
    PageDown: -props.scale.major,
  }
  if (event.key in steps) nudge(steps[event.key]!)
  else if (event.key === 'Home') neutral()
  else return
  event.preventDefault()
}

function neutral() {
  move(props.scale.neutral)
  settle()
}

/** The wheel scrolls the bench; it turns the ruler only while that has the focus. */
function onWheel(event: WheelEvent) {
  if (document.activeElement !== ruler.value) return
  event.preventDefault()
  nudge((event.deltaY < 0 ? 1 : -1) * (event.shiftKey ? 0.1 : 1))
}

function take() {
  typing.value = false
  const value = typed(text.value)
  if (value === null || value === shown.value) return
  move(value)
  settle()
}

function startTyping() {
  typing.value = true
  text.value = reading.value
}
</script>

<template>
  <div class="ruler-row">
    <div class="label">
      <span :title="label">{{ label }}</span>
      <button
        v-if="pointer"
        type="button"
        class="over-time"
        :class="{ moves }"
        :aria-label="`${label} over time`"
        :title="moves ? 'Moves over time: show its lane' : 'Move over time'"
        @click="overTime"
      >
        {{ moves ? '~ over time' : '~' }}
      </button>
      <slot v-if="!moves" name="note"
        ><small v-if="note">{{ note }}</small></slot
      >
    </div>
    <div
      ref="ruler"
      class="ruler"
      role="slider"
      tabindex="0"
      :aria-label="label"
      :aria-valuemin="scale.min"
      :aria-valuemax="scale.max"
      :aria-valuenow="shown"
      :aria-valuetext="`${reading} ${scale.unit}`"
      title="Drag, or use arrow keys and the wheel once focused; Shift for finer; double-click to reset"
      @pointerdown="onDown"
      @pointermove="onMove"
      @pointerrawupdate="onMove"
      @pointerup="onUp"
      @pointercancel="onUp"
      @dblclick="neutral"
      @keydown="onKey"
      @wheel="onWheel"
    >
      <div class="scale" :style="{ transform: moved }">
        <svg v-memo="[marks]" width="1" height="22" aria-hidden="true">
          <g v-for="mark in marks" :key="mark.x" :class="{ neutral: mark.neutral }">
            <line :x1="mark.x" :x2="mark.x" :y1="mark.major || mark.neutral ? 9 : 12" y2="17" />
            <text v-if="mark.text" :x="mark.x" y="8">{{ mark.text }}</text>
          </g>
        </svg>
      </div>
      <svg class="pointer" width="10" height="6" aria-hidden="true"><path d="M0 6 h10 l-5 -6 z" /></svg>
    </div>
    <div class="number">
      <input
        :value="typing ? text : reading"
        :aria-label="`${label}, number`"
        inputmode="decimal"
        :class="{ changed: !isNeutral }"
        @focus="startTyping"
        @input="text = ($event.target as HTMLInputElement).value"
        @blur="take"
        @keydown.enter="($event.target as HTMLInputElement).blur()"
      />
      <span class="unit">{{ scale.unit }}</span>
    </div>
  </div>
</template>

<style scoped>
.ruler-row {
  display: grid;
  grid-template-columns: 104px minmax(0, 1fr) 104px;
  gap: 8px;
  align-items: center;
  height: 32px;
}
.label {
  position: relative;
  min-width: 0;
  color: var(--text-2);
  line-height: 14px;
}
.label span {
  display: -webkit-box;
  overflow: hidden;
  -webkit-box-orient: vertical;
  -webkit-line-clamp: 2;
}
.over-time {
  position: absolute;
  top: 0;
  right: -4px;
  padding: 0 2px;
  border: 0;
  background: none;
  color: var(--text-3);
  font-size: 11px;
  line-height: 12px;
  opacity: 0;
}
.over-time.moves {
  position: static;
  color: var(--accent);
  opacity: 1;
}
.ruler-row:hover .over-time,
.over-time:focus-visible {
  opacity: 1;
}
.label:has(:not(span)) span {
  -webkit-line-clamp: 1;
}
small {
  display: block;
  overflow: hidden;
  color: var(--text-3);
  font-size: 11px;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.number {
  display: flex;
  align-items: baseline;
  justify-content: flex-end;
  gap: 4px;
  contain: layout paint;
}
input {
  flex: 1;
  min-width: 40px;
  padding: 0 2px;
  border: 0;
  background: none;
  font-weight: 600;
  text-align: right;
}
input.changed {
  color: var(--accent);
}
.unit {
  color: var(--text-3);
  font-size: 12px;
  white-space: nowrap;
}
.ruler {
  position: relative;
  height: 22px;
  background: var(--well);
  cursor: ew-resize;
  overflow: hidden;
  contain: strict;
  touch-action: none;
}
/* Moved as a whole: were it the drawing itself, the page would lay out each of its marks anew. */
.scale {
  position: absolute;
  left: 0;
}
.scale svg {
  overflow: visible;
}
line {
  stroke: var(--text-3);
}
/* The numbers of the graduation show over the one under pointer or focus; nothing moves for them. */
text {
  fill: var(--text-2);
  font-size: 10px;
  text-anchor: middle;
  visibility: hidden;
}
.ruler:hover text,
.ruler:focus text {
  visibility: visible;
}
.neutral line {
  stroke: var(--accent);
  stroke-width: 2;
}
.pointer {
  position: absolute;
  bottom: 0;
  left: calc(50% - 5px);
  fill: var(--accent);
}
</style>
