<script setup lang="ts">
import { computed } from 'vue'
import { NEUTRAL_RECOLOUR } from '@/api/defaults'
import type { Recolour } from '@/api/types'
import RulerScale from '@/parts/RulerScale.vue'
import { factorScale, readout, TURN, type RulerScale as Scale } from '@/parts/ruler'
import { pointerStep, spoken } from '@/stores/levels'
import { useShot } from '@/stores/shot'
import PinPanel from '@/stations/looking/PinPanel.vue'
import ScopePanel from '@/stations/looking/ScopePanel.vue'
import { useObjects } from '@/stations/looking/useScope'

/** Colours of surfaces, changed before light multiplies them: shading, highlights and reflections stay right. */
type Measured = 'hue' | 'saturation' | 'value'

const shots = useShot()
const objects = useObjects()
const recolours = computed<Recolour[]>(() =>
  (shots.document?.surface?.recolours ?? []).map((kept) => ({ ...NEUTRAL_RECOLOUR, ...kept })),
)
const ROWS: { key: Measured; label: string; scale: Scale }[] = [
  { key: 'hue', label: 'Hue', scale: TURN },
  { key: 'saturation', label: 'Saturation', scale: factorScale(4, 1) },
  { key: 'value', label: 'Value', scale: factorScale(4, 1) },
]
const coloured = computed(() =>
  (shots.variant?.reading.passes ?? []).filter((p) => p.part === 'colour').map((p) => p.component ?? ''),
)
/** What a change can be limited to. */
const limits = computed(() => [
  {
    key: 'object_name' as const,
    label: 'Which object',
    none: 'all surfaces',
    names: objects.value,
    edit: 'Another object recoloured',
  },
  {
    key: 'component' as const,
    label: 'Which component',
    none: 'every component with a colour',
    names: coloured.value,
    edit: 'Another component recoloured',
  },
])
const nameOf = (change: Recolour) => (change.object_name ? spoken(change.object_name) : 'All surfaces')

const at = (change: Recolour) => `/surface/recolours/${pointerStep(change.id)}`
const patch = (of: Recolour, change: Partial<Recolour>) =>
  Object.entries(change).map(([field, value]) => ({
    op: 'replace' as const,
    path: `${at(of)}/${field}`,
    value,
  }))

function keep(of: Recolour, change: Partial<Recolour>, label: string) {
  void shots.edit(patch(of, change), label)
}

function settle(of: Recolour, row: (typeof ROWS)[number], value: number) {
  const label = `${nameOf(of)}: ${row.label.toLowerCase()} ${readout(row.scale, value)}`
  keep(of, { [row.key]: value }, label)
}

function add() {
  void shots.edit(
    [{ op: 'add', path: '/surface/recolours/-', value: NEUTRAL_RECOLOUR }],
    'A colour to change',
  )
}

function drop(change: Recolour) {
  void shots.edit([{ op: 'remove', path: at(change) }], 'Colour as rendered')
}
</script>

<template>
  <section v-if="!coloured.length" class="bench-part" aria-label="Surface">
    <h2>Surface</h2>
    <p class="quiet">
      No pass of this render holds the colour of a component, so surfaces cannot be told from the light on
      them. If one is named unusually, give it its role at Source.
    </p>
  </section>
  <template v-else>
    <section
      v-for="change in recolours"
      :key="change.id"
      class="bench-part"
      :aria-label="`Colour of ${nameOf(change)}`"
    >
      <div class="bench-head">
        <h2>{{ nameOf(change) }}</h2>
        <button
          type="button"
          :aria-pressed="!change.on"
          @click="keep(change, { on: !change.on }, `${nameOf(change)} on or off`)"
        >
          off
        </button>
        <button type="button" @click="drop(change)">take away</button>
      </div>
      <div class="choices">
        <select
          v-for="limit in limits"
          :key="limit.key"
          :value="change[limit.key] ?? ''"
          :aria-label="limit.label"
          @change="
            keep(change, { [limit.key]: ($event.target as HTMLSelectElement).value || null }, limit.edit)
          "
        >
          <option value="">{{ limit.none }}</option>
          <option v-for="name in limit.names" :key="name" :value="name">{{ spoken(name) }}</option>
        </select>
      </div>
      <RulerScale
        v-for="row in ROWS"
        :key="row.key"
        :label="row.label"
        :scale="row.scale"
        :value="change[row.key]"
        @moving="shots.preview(patch(change, { [row.key]: $event }))"
        @settled="settle(change, row, $event)"
      />
    </section>
    <section class="bench-part">
      <button type="button" @click="add">
        {{ recolours.length ? 'change another colour' : 'change a colour' }}
      </button>
      <p class="quiet">
        Colour passes of {{ coloured.map(spoken).join(', ').toLowerCase() }} are changed before light
        multiplies them. Where a renderer gives no light by itself, the lit pass is divided by its colour.
      </p>
    </section>
  </template>
  <PinPanel />
  <ScopePanel />
</template>

<style scoped>
.choices {
  display: grid;
  gap: 4px;
}
.choices select {
  padding: 3px 6px;
  border: 1px solid var(--line);
  background: var(--well);
  color: inherit;
  font: inherit;
}
</style>
