<script setup lang="ts">
import { computed } from 'vue'
import type { Layer, LayerFacts, Triple } from '@/api/types'
import MatteButton from '@/mattes/MatteButton.vue'
import OnSwitch from '@/widgets/OnSwitch.vue'
import RulerScale from '@/widgets/RulerScale.vue'
import TripleRuler from '@/widgets/TripleRuler.vue'
import { factorScale, readout } from '@/widgets/ruler'
import LayerChoice from './LayerChoice.vue'
import PictureRows from './PictureRows.vue'
import RenderRows from './RenderRows.vue'
import { HOLDS, operatorOf, RULERS, UNITS, type LayerRuler } from './rows'
import { CG, usePlate } from './usePlate'

/** The chosen layer: what it shows, how its file is read, and the rulers of its kind. */
const props = defineProps<{ facts: LayerFacts; layer: Layer | null }>()
const plate = usePlate()
const id = computed(() => props.facts.id)
const now = computed(() => (props.layer ?? CG) as Layer & Record<string, unknown>)
const rulers = computed(() => RULERS[now.value.kind])
const operator = computed(() => operatorOf(now.value))
const distance = computed(() =>
  now.value.kind === 'picture' || now.value.kind === 'solid' ? now.value.distance : undefined,
)
const colour = computed(() =>
  now.value.kind === 'solid' || now.value.kind === 'shadow' ? (now.value.colour as Triple) : null,
)
const LIGHT = factorScale(64, 0.18)
const moves = computed(() => props.facts.words.includes('frame'))
const index = computed(() => plate.layers.value.findIndex((one) => one.id === id.value))

const shown = (ruler: LayerRuler) =>
  Number(now.value[ruler.field] ?? ruler.scale.neutral / (ruler.unit ?? 1)) * (ruler.unit ?? 1)
const change = (ruler: LayerRuler, value: number) => ({ [ruler.field]: value / (ruler.unit ?? 1) })
const keep = (fields: object, label: string) => plate.keep(id.value, fields, label)

function standAt(value: number | null) {
  const merged = value === null && now.value.operator === 'depth'
  const fields = { ...(merged ? { operator: 'over' } : {}), distance: value }
  keep(fields, value === null ? 'at no distance' : `distance ${readout(UNITS, value)} units`)
}

function move(by: number) {
  const other = plate.layers.value[index.value + by]
  if (other) plate.move(id.value, other.id)
}

const remove = () => plate.entries.drop(id.value, `${props.facts.title} removed`)
</script>

<template>
  <section class="bench-part" :aria-label="facts.title">
    <div class="bench-head">
      <h2 :title="facts.title">{{ facts.title }}</h2>
      <button v-if="facts.kind !== 'cg'" type="button" @click="remove">Remove</button>
      <OnSwitch
        :name="facts.title"
        :on="now.on !== false"
        @change="keep({ on: $event }, $event ? 'on' : 'off')"
      />
    </div>
    <p class="quiet" :class="{ warning: facts.state === 'missing' }">{{ facts.words }}</p>
    <details v-if="facts.notes.length" :open="facts.state === 'missing'">
      <summary>{{ facts.notes[0] }}</summary>
      <p v-for="note in facts.notes.slice(1)" :key="note" class="quiet">{{ note }}</p>
    </details>
    <div class="bench-head">
      <button type="button" :disabled="index <= 0" @click="move(-1)">Farther</button>
      <button type="button" :disabled="index >= plate.layers.value.length - 1" @click="move(1)">
        Nearer
      </button>
      <MatteButton v-if="layer" :what="plate.entries.matteTarget(id, `the layer ${facts.title}`)" />
    </div>
    <LayerChoice v-if="operator" :choice="operator" :value="now.operator ?? 'over'" @chosen="keep" />
    <LayerChoice v-if="now.kind === 'shadow'" :choice="HOLDS" :value="now.holds ?? 'light'" @chosen="keep" />
    <RulerScale
      v-for="ruler in rulers"
      :key="ruler.field"
      :label="ruler.label"
      :scale="ruler.scale"
      :value="shown(ruler)"
      @moving="plate.show(id, change(ruler, $event))"
      @settled="keep(change(ruler, $event), `${ruler.label.toLowerCase()} ${readout(ruler.scale, $event)}`)"
    />
    <TripleRuler
      v-if="colour"
      label="Colour"
      :value="colour"
      :scale="LIGHT"
      keeps="ratio"
      @moving="plate.show(id, { colour: $event })"
      @settled="keep({ colour: $event }, 'colour')"
    />
    <RenderRows
      v-if="now.kind === 'render'"
      :layer="now"
      :facts="facts"
      @moving="plate.show(id, $event)"
      @settled="keep"
    />
    <PictureRows
      v-if="now.kind === 'picture'"
      :layer="now"
      :moves="moves"
      @moving="plate.show(id, $event)"
      @settled="keep"
    />
    <div v-if="distance !== undefined" class="bench-head">
      <button
        type="button"
        :aria-pressed="distance !== null"
        @click="standAt(distance === null ? UNITS.neutral : null)"
      >
        At a distance
      </button>
      <span v-if="distance === null" class="quiet">Depth leaves it as it is</span>
    </div>
    <RulerScale
      v-if="distance"
      label="Distance"
      :scale="UNITS"
      :value="distance"
      @moving="plate.show(id, { distance: $event })"
      @settled="standAt"
    />
  </section>
</template>

<style scoped>
details p {
  padding-left: 12px;
}
summary {
  color: var(--text-2);
}
h2 {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
</style>
