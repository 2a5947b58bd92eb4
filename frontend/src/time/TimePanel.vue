<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import Select from 'primevue/select'
import { computed, ref } from 'vue'
import type { Lane } from '@/api/types'
import { useLanes } from '@/stores/lanes'
import { useShot } from '@/stores/shot'
import { useWorkspace } from '@/stores/workspace'
import { readout } from '@/widgets/ruler'
import { scaleOf } from './curves'
import LaneChart from './LaneChart.vue'

/** The lanes: frames across, one lane for each moving value, with its curve and its keys. */
const shots = useShot()
const workspace = useWorkspace()
const lanes = useLanes()
const area = ref<HTMLElement>()
const { width, height } = useElementSize(area)
const HEAD = 204
const PAD = 10
const HEIGHT = 48
const OVERLAID_HEIGHT = 30
/** What is above the lanes, and the least height of one chart. */
const ABOVE = 52
const LEAST = 120
/** Whether all curves are drawn in one chart, and whether a drag in it selects keys. */
const overlaid = ref(false)
const boxing = ref(false)

const first = computed(() => lanes.frames[0] ?? 0)
const last = computed(() => lanes.frames.at(-1) ?? 1)
const numbers = computed(() => Object.keys(shots.shot?.render.frames ?? {}).map(Number))
const current = computed(() => workspace.frame ?? Math.min(...numbers.value))
const rowHeight = computed(() => (overlaid.value ? OVERLAID_HEIGHT : HEIGHT))
const chartHeight = computed(() => {
  const rows = lanes.lanes.length * rowHeight.value
  return overlaid.value ? Math.max(rows, LEAST, height.value - ABOVE) : rows
})
/** What the button that hides the panel takes at the right. */
const FOLD = 92
const across = computed(() => Math.max(80, width.value - HEAD - 2 * PAD - FOLD))
const x = (frame: number) =>
  PAD + ((frame - first.value) / Math.max(1e-6, last.value - first.value)) * across.value
const frameAt = (place: number) => first.value + ((place - PAD) / across.value) * (last.value - first.value)
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
    <div class="bar">
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
      <template v-if="lanes.lanes.length">
        <button type="button" :aria-pressed="overlaid" @click="overlaid = !overlaid">Overlay</button>
        <button
          type="button"
          title="Drag a box around keys; without it, with Shift"
          :aria-pressed="boxing"
          @click="boxing = !boxing"
        >
          Select keys
        </button>
      </template>
    </div>
    <svg v-if="lanes.lanes.length" class="frames" :width="across + 2 * PAD" height="16" aria-hidden="true">
      <text v-for="at in graduations" :key="at" :x="x(at)" y="12">{{ at }}</text>
    </svg>
    <p v-if="!lanes.lanes.length" class="quiet empty">
      Nothing moves over time. Add a value, or press ~ beside a ruler: keys, pulse, flicker, sweep, ramp,
      follow.
    </p>
    <div v-else class="lanes" :class="{ overlaid }">
      <div>
        <button
          v-for="lane in lanes.lanes"
          :key="lane.pointer"
          type="button"
          class="name"
          :aria-pressed="lane.pointer === lanes.chosen"
          @click="lanes.chosen = lane.pointer"
        >
          <span>{{ lane.words }}</span>
          <b>{{ nowText(lane) }}</b>
          <small v-if="!overlaid">{{ lane.sentence }}</small>
        </button>
      </div>
      <LaneChart
        :overlaid="overlaid"
        :boxing="boxing"
        :row-height="rowHeight"
        :height="chartHeight"
        :width="across + 2 * PAD"
        :frame-x="x"
        :frame-at="frameAt"
        :graduations="graduations"
      />
    </div>
  </section>
</template>

<style scoped>
.time {
  height: 100%;
  overflow-y: auto;
  padding: 2px 0;
}
.bar {
  display: flex;
  gap: 8px;
  align-items: center;
  padding: 0 8px;
  white-space: nowrap;
}
.bar :deep([data-pc-name='select']) {
  flex: none;
  width: 184px;
}
.frames {
  display: block;
  margin-left: v-bind('`${HEAD}px`');
}
.frames text {
  fill: var(--text-3);
  font-size: 11px;
  text-anchor: middle;
}
.lanes {
  display: grid;
  grid-template-columns: v-bind('`${HEAD}px`') 1fr;
  border-top: 1px solid var(--line);
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
  width: 100%;
  height: v-bind('`${rowHeight}px`');
}
.name + .name {
  border-top: 1px solid var(--line);
}
.name[aria-pressed='true'] {
  background: var(--surface-3);
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
.name[aria-pressed='true'] span {
  color: var(--accent);
}
.name b {
  font-weight: 400;
  color: var(--accent);
}
.empty {
  padding: 14px;
}
</style>
