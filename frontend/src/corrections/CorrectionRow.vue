<script setup lang="ts">
import { computed } from 'vue'
import type { Correction, StationName, Triple } from '@/api/types'
import OnSwitch from '@/widgets/OnSwitch.vue'
import RulerScale from '@/widgets/RulerScale.vue'
import TripleRuler from '@/widgets/TripleRuler.vue'
import { readout, SHARE } from '@/widgets/ruler'
import MatteButton from '@/mattes/MatteButton.vue'
import type { MatteTarget } from '@/stores/mattes'
import CdlFiles from './CdlFiles.vue'
import CurveDrawing from './CurveDrawing.vue'
import { titleOf, type Kind, type Row, type TripleRow } from './kinds'

/** One correction: a handle, a sentence and a switch; open, the rulers that it is made of. */
const props = defineProps<{
  correction: Correction
  kind: Kind
  open: boolean
  what: MatteTarget
  place: string
  /** Attributes of the handle that reorders the rows. */
  handle: object
}>()
const emit = defineEmits<{
  toggle: []
  moving: [change: object]
  settled: [change: object, label: string]
  earlier: []
  later: []
  copy: [to: string]
  remove: []
}>()
const values = computed(() => props.correction as unknown as Record<string, unknown>)
const opacity = computed(() => props.correction.opacity ?? 1)
const on = computed(() => props.correction.on !== false)
const title = computed(() => titleOf(props.kind))
const suffix = computed(() =>
  [
    props.correction.matte ? `matte ${props.correction.matte}` : '',
    opacity.value < 1 ? `${Math.round(opacity.value * 100)}%` : '',
  ]
    .filter(Boolean)
    .map((part) => ` · ${part}`)
    .join(''),
)

const PLACES = [
  { place: '/beauty/corrections', words: 'Beauty' },
  { place: '/finish/corrections', words: 'Finish' },
]
const keep = (change: object, label: string) => emit('settled', change, `${title.value}: ${label}`)
const settle = (row: Row, value: number) =>
  keep(row.write(value, values.value), `${row.label.toLowerCase()} ${readout(row.scale, value)}`)
const settleTriple = (row: TripleRow, value: Triple) =>
  keep(
    { [row.key]: value },
    `${row.label.toLowerCase()} ${value.map((one) => readout(row.scale, one)).join(', ')}`,
  )
</script>

<template>
  <div class="correction" :class="{ off: !on }">
    <div class="line">
      <span class="handle" aria-hidden="true" title="Drag to reorder" v-bind="handle">⠿</span>
      <button type="button" class="sentence" :aria-expanded="open" :title="kind.hint" @click="emit('toggle')">
        {{ kind.sentence(values) }}<span class="quiet">{{ suffix }}</span>
      </button>
      <OnSwitch :name="title" :on="on" @change="keep({ on: $event }, $event ? 'on' : 'off')" />
    </div>
    <div v-if="open" class="inside" role="group" :aria-label="title">
      <div class="acts">
        <CdlFiles v-if="kind.kind === 'cdl'" @settled="keep" />
        <button
          v-if="kind.kind === 'config'"
          type="button"
          :aria-pressed="values.inverse === true"
          @click="keep({ inverse: !values.inverse }, `inverse ${values.inverse ? 'off' : 'on'}`)"
        >
          Inverse
        </button>
        <button type="button" @click="emit('earlier')">Move up</button>
        <button type="button" @click="emit('later')">Move down</button>
        <button
          v-for="to in PLACES.filter((one) => one.place !== place)"
          :key="to.place"
          type="button"
          @click="emit('copy', to.place)"
        >
          Copy to {{ to.words }}
        </button>
        <button type="button" @click="emit('remove')">Remove</button>
      </div>
      <CurveDrawing
        v-if="kind.kind === 'curves'"
        :values="values"
        :station="place.split('/')[1] as StationName"
        @moving="emit('moving', $event)"
        @settled="keep($event, 'curve edited')"
      />
      <TripleRuler
        v-for="row in kind.triples"
        :key="row.key"
        :label="row.label"
        :scale="row.scale"
        :keeps="row.keeps"
        :value="values[row.key] as Triple"
        @moving="emit('moving', { [row.key]: $event })"
        @settled="settleTriple(row, $event)"
      />
      <RulerScale
        v-for="row in kind.rows"
        :key="row.label"
        :label="row.label"
        :scale="row.scale"
        :value="row.read(values)"
        @moving="emit('moving', row.write($event, values))"
        @settled="settle(row, $event)"
      />
      <RulerScale
        label="Opacity"
        :scale="{ ...SHARE, neutral: 100 }"
        :value="opacity * 100"
        @moving="emit('moving', { opacity: $event / 100 })"
        @settled="keep({ opacity: $event / 100 }, `opacity ${Math.round($event)}%`)"
      />
      <MatteButton :what="what" />
    </div>
  </div>
</template>

<style scoped>
.correction {
  border-top: 1px solid var(--line);
}
.drop-here {
  border-top-color: var(--accent);
}
.line {
  display: flex;
  gap: 4px;
  align-items: center;
  min-height: 26px;
}
.handle {
  padding: 0 4px 0 0;
  color: var(--text-3);
  cursor: grab;
}
.sentence {
  flex: 1;
  min-width: 0;
  padding: 3px 0;
  border: 0;
  background: none;
  text-align: left;
}
.sentence[aria-expanded='true'] {
  color: var(--accent);
}
.off .sentence {
  color: var(--text-3);
}
.inside {
  display: grid;
  padding-bottom: 8px;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
  padding-bottom: 4px;
}
</style>
