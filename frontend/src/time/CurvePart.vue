<script setup lang="ts">
import Select from 'primevue/select'
import { computed } from 'vue'
import { api, bodyOf, unwrap } from '@/api/client'
import type { Curve } from '@/api/types'
import { withKey } from '@/document/overTime'
import { useLanes } from '@/stores/lanes'
import { useNotifications } from '@/stores/notifications'
import { useShot } from '@/stores/shot'
import RulerScale from '@/widgets/RulerScale.vue'
import { readout, SHARE, typed, type RulerScale as Scale } from '@/widgets/ruler'
import { FACTOR, FRAMES, KINDS, newCurve, PERIOD, RATE, scaleOf, SIGNED_FRAMES, type Kind } from './curves'

/** The curve of the chosen lane: its kind, its numbers, its keys. */
const lanes = useLanes()
const shots = useShot()
const notifications = useNotifications()
const lane = computed(() => lanes.chosenLane!)
const curve = computed(() => lanes.curve as (Curve & Record<string, unknown>) | null)
const scale = computed(() => scaleOf(lane.value))
const amount = computed<Scale>(() => ({ ...scale.value, min: scale.value.min < 0 ? scale.value.min : -scale.value.max, neutral: 0, signed: true })) // prettier-ignore
const first = computed(() => lanes.frames[0] ?? 0)
const last = computed(() => lanes.frames.at(-1) ?? 0)

interface Row {
  field: string
  label: string
  scale: Scale
  factor?: number
  fallback?: number
}
const rows = computed<Row[]>(() => {
  const value = scale.value
  const all: Record<Kind, Row[]> = {
    keys: [],
    pulse: [
      { field: 'low', label: 'Low', scale: value },
      { field: 'high', label: 'High', scale: value },
      { field: 'period', label: 'Period', scale: PERIOD },
      { field: 'duty', label: 'Duty', scale: { ...SHARE, neutral: 50 }, factor: 100, fallback: 0.5 },
      { field: 'phase', label: 'Phase', scale: SIGNED_FRAMES },
      { field: 'soft', label: 'Soft', scale: FRAMES },
    ],
    flicker: [
      { field: 'amount', label: 'Amount', scale: amount.value },
      { field: 'rate', label: 'Rate', scale: RATE },
      { field: 'smooth', label: 'Smooth', scale: { ...SHARE, neutral: 100 }, factor: 100, fallback: 1 },
      { field: 'seed', label: 'Seed', scale: { ...FRAMES, digits: 0, unit: '' } },
    ],
    sweep: [
      { field: 'amount', label: 'Amount', scale: amount.value },
      { field: 'period', label: 'Period', scale: PERIOD },
      { field: 'phase', label: 'Phase', scale: SIGNED_FRAMES },
    ],
    ramp: [
      { field: 'from', label: 'From', scale: value },
      { field: 'to', label: 'To', scale: value },
      { field: 'start', label: 'Start', scale: SIGNED_FRAMES },
      { field: 'end', label: 'End', scale: SIGNED_FRAMES },
    ],
    follow: [
      { field: 'scale', label: 'Scale', scale: FACTOR, fallback: 1 },
      { field: 'offset', label: 'Offset', scale: amount.value },
      { field: 'delay', label: 'Delay', scale: SIGNED_FRAMES },
    ],
  }
  return all[curve.value?.kind ?? 'keys']
})
/** A triple is moved together: by its mean, in proportion. */
const shown = (row: Row) => meanOf(curve.value?.[row.field], row.fallback ?? 0) * (row.factor ?? 1)
function meanOf(value: unknown, fallback: number): number {
  if (Array.isArray(value)) return (value as number[]).reduce((sum, one) => sum + one, 0) / value.length
  return (value as number | undefined) ?? fallback
}
function changed(row: Row, to: number): Curve {
  const before = curve.value?.[row.field]
  const value = (row.field === 'seed' ? Math.round(to) : to) / (row.factor ?? 1)
  const shift = value - meanOf(before, row.fallback ?? 0)
  const next = Array.isArray(before) ? (before as number[]).map((one) => one + shift) : value
  return { ...curve.value, [row.field]: next } as Curve
}
const keep = (next: Curve, what: string) =>
  lanes.keep(new Map([[lane.value.pointer, next]]), `${lane.value.words}: ${what}`)

const others = computed(() => [
  ...lanes.lanes.filter(
    (one) => one.pointer !== lane.value.pointer && one.now.length === lane.value.now.length,
  ),
  ...lanes.movable.filter((one) => one.values.length === lane.value.now.length),
])

async function toKeys() {
  const params = { path: { variant_id: shots.variant!.id } }
  const body = { ...bodyOf(shots.draft), frame: null, pointer: lane.value.pointer }
  const { curve: made } = await unwrap<{ curve: Curve }>(
    api.POST('/api/variants/{variant_id}/lanes/keys', { params, body }),
  )
  keep(made, 'converted to keys')
}

function choose(kind: Kind) {
  if (kind === curve.value?.kind) return
  if (kind === 'keys') return void toKeys().catch(notifications.show)
  const other = others.value[0]?.pointer
  if (kind === 'follow' && !other) return
  keep(newCurve(kind, lane.value, first.value, last.value, other ?? ''), kind)
}

type Keys = Extract<Curve, { kind?: 'keys' }>
const keys = computed(() => (curve.value?.kind === 'keys' ? (curve.value as Keys) : null))
const EASES = ['smooth', 'straight', 'step', 'bezier']
const OUTSIDE = ['hold', 'repeat', 'mirror', 'slope']
const words = (value: number | number[]) =>
  (Array.isArray(value) ? value : [value]).map((one) => readout(scale.value, one)).join(' ')

function setKey(index: number, change: object, what: string) {
  const next = keys.value!.keys.map((key, at) => (at === index ? { ...key, ...change } : key))
  keep({ ...keys.value!, keys: next.sort((a, b) => a.frame - b.frame) }, what)
}
function setFrame(index: number, event: Event) {
  const frame = typed((event.target as HTMLInputElement).value)
  if (frame !== null && !keys.value!.keys.some((key) => key.frame === frame))
    setKey(index, { frame }, 'key moved')
}
function setValue(index: number, event: Event) {
  const before = keys.value!.keys[index]!.value
  const found = (event.target as HTMLInputElement).value.split(/\s+/).filter(Boolean).map(typed)
  if (found.some((one) => one === null) || found.length !== (Array.isArray(before) ? before.length : 1))
    return
  setKey(index, { value: Array.isArray(before) ? found : found[0] }, 'key changed')
}
function drop(index: number) {
  const rest = keys.value!.keys.filter((_, at) => at !== index)
  if (rest.length) keep({ ...keys.value!, keys: rest }, 'key removed')
  else lanes.stop(lane.value.pointer, lane.value.words)
}
function addKey() {
  const { now } = lane.value
  keep(withKey(keys.value!, lanes.frameNow(), now.length > 1 ? [...now] : now[0]!), 'key added')
}
</script>

<template>
  <section v-if="curve" class="bench-part" :aria-label="`${lane.words}, over time`">
    <div class="bench-head">
      <h2>{{ lane.words }}</h2>
      <button type="button" @click="lanes.stop(lane.pointer, lane.words)">Stop moving</button>
    </div>
    <div class="kinds" role="group" aria-label="Kind of curve">
      <button
        v-for="one in KINDS"
        :key="one.kind"
        type="button"
        :aria-pressed="curve.kind === one.kind"
        :title="one.kind === 'keys' && curve.kind !== 'keys' ? 'Convert to keys' : one.what"
        @click="choose(one.kind)"
      >
        {{ one.word }}
      </button>
    </div>
    <div v-if="curve.kind === 'follow'" class="bench-head">
      <span class="quiet">Follows</span>
      <Select
        :model-value="String(curve.pointer)"
        :options="others"
        option-label="words"
        option-value="pointer"
        filter
        aria-label="Followed value"
        @update:model-value="keep({ ...curve, pointer: $event } as Curve, 'follows another value')"
      />
    </div>
    <RulerScale
      v-for="row in rows"
      :key="row.field"
      :label="row.label"
      :scale="row.scale"
      :value="shown(row)"
      @moving="lanes.preview(new Map([[lane.pointer, changed(row, $event)]]))"
      @settled="keep(changed(row, $event), `${row.label.toLowerCase()} ${readout(row.scale, $event)}`)"
    />
    <template v-if="keys">
      <div class="keys" role="table" aria-label="Keys">
        <template v-for="(key, index) in keys.keys" :key="key.frame">
          <input
            :value="key.frame"
            :aria-label="`Frame of key ${index + 1}`"
            @change="setFrame(index, $event)"
          />
          <input
            :value="words(key.value)"
            :aria-label="`Value of key ${index + 1}`"
            @change="setValue(index, $event)"
          />
          <Select
            :model-value="key.ease ?? 'smooth'"
            :options="EASES"
            :aria-label="`Ease of key ${index + 1}`"
            @update:model-value="setKey(index, { ease: $event }, `ease ${$event}`)"
          />
          <button type="button" :aria-label="`Remove key ${index + 1}`" title="Remove" @click="drop(index)">
            ×
          </button>
        </template>
      </div>
      <div class="bench-head">
        <button type="button" class="add" title="At the present frame" @click="addKey">Add key</button>
        <span class="quiet">Outside</span>
        <Select
          :model-value="keys.outside ?? 'hold'"
          :options="OUTSIDE"
          aria-label="Outside the keys"
          @update:model-value="keep({ ...keys, outside: $event }, `outside ${$event}`)"
        />
      </div>
    </template>
    <button v-else type="button" @click="choose('keys')">Convert to keys</button>
  </section>
</template>

<style scoped>
.add {
  white-space: nowrap;
}
.kinds {
  display: grid;
  grid-template-columns: repeat(6, auto);
  gap: 2px;
}
.kinds button {
  padding: 2px 4px;
}
.keys {
  display: grid;
  grid-template-columns: 64px 1fr 104px 28px;
  gap: 2px 4px;
  max-height: 190px;
  overflow-y: auto;
}
.keys input {
  min-width: 0;
  text-align: right;
}
.keys button {
  padding: 0;
}
</style>
