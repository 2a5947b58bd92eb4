<script setup lang="ts">
import { computed } from 'vue'
import type { Correction, StationName } from '@/api/types'
import RulerScale from '@/parts/RulerScale.vue'
import { readout, SHARE } from '@/parts/ruler'
import WhereWord from '@/mattes/WhereWord.vue'
import type { Limitable } from '@/stores/shelf'
import CurveDrawing from './CurveDrawing.vue'
import type { Kind, Row } from './kinds'

/** One correction: a sentence, and opened the rulers that it is made of. */
const props = defineProps<{
  correction: Correction
  kind: Kind
  open: boolean
  what: Limitable
  place: string
}>()
const emit = defineEmits<{
  toggle: []
  moving: [change: object]
  settled: [change: object, label: string]
  earlier: []
  later: []
  copy: [to: string]
  drop: []
}>()
const values = computed(() => props.correction as unknown as Record<string, unknown>)
const opacity = computed(() => props.correction.opacity ?? 1)
const on = computed(() => props.correction.on !== false)
const words = computed(() =>
  [
    props.kind.sentence(values.value),
    props.correction.matte ? `where ${props.correction.matte}` : '',
    opacity.value < 1 ? `${Math.round(opacity.value * 100)} %` : '',
    on.value ? '' : 'off',
  ]
    .filter(Boolean)
    .join(' · '),
)

const PLACES = [
  { place: '/beauty/corrections', words: 'Beauty' },
  { place: '/finish/corrections', words: 'Finish' },
]

function settle(row: Row, value: number) {
  const label = `${props.kind.words}, ${row.label.toLowerCase()} ${readout(row.scale, value)}`
  emit('settled', row.write(value, values.value), label)
}
</script>

<template>
  <div class="correction" :class="{ off: !on }">
    <button type="button" class="sentence" :aria-expanded="open" :title="kind.hint" @click="emit('toggle')">
      {{ words }}
    </button>
    <div v-if="open" class="inside" role="group" :aria-label="kind.words">
      <div class="acts">
        <button
          type="button"
          :aria-pressed="!on"
          @click="emit('settled', { on: !on }, `${kind.words} on or off`)"
        >
          off
        </button>
        <button type="button" @click="emit('earlier')">earlier</button>
        <button type="button" @click="emit('later')">later</button>
        <button
          v-for="to in PLACES.filter((one) => one.place !== place)"
          :key="to.place"
          type="button"
          :title="`A copy of it at ${to.words}`"
          @click="emit('copy', to.place)"
        >
          copy to {{ to.words }}
        </button>
        <button type="button" @click="emit('drop')">take away</button>
      </div>
      <CurveDrawing
        v-if="kind.kind === 'curves'"
        :values="values"
        :station="place.split('/')[1] as StationName"
        @moving="emit('moving', $event)"
        @settled="emit('settled', $event, 'curves drawn')"
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
        @settled="
          emit('settled', { opacity: $event / 100 }, `${kind.words}, opacity ${Math.round($event)} %`)
        "
      />
      <WhereWord :what="what" />
    </div>
  </div>
</template>

<style scoped>
.correction {
  border-top: 1px solid var(--line);
}
.sentence {
  width: 100%;
  padding: 5px 0;
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
  gap: 8px;
  padding-bottom: 10px;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
}
</style>
