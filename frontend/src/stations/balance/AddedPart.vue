<script setup lang="ts">
import Select from 'primevue/select'
import { computed, onScopeDispose, watch } from 'vue'
import type { Triple } from '@/api/types'
import { useEntries } from '@/composables/useEntries'
import { displayName } from '@/format'
import { useShot } from '@/stores/shot'
import { useWorkspace } from '@/stores/workspace'
import OnSwitch from '@/widgets/OnSwitch.vue'
import RulerScale from '@/widgets/RulerScale.vue'
import TripleRuler from '@/widgets/TripleRuler.vue'
import { readout, SHARE } from '@/widgets/ruler'
import {
  anglesOf, AZIMUTH, COLOUR, directionOf, EDGE, ELEVATION, freeName, KINDS, NEW, PLACE, RADIUS, ROUGHNESS,
  type AddedLight,
} from './addedLights' // prettier-ignore
import { usePlacing } from './usePlacing'

/** Lights that are made from the passes of albedo, normals and positions: added, and edited while one is chosen. */
const shots = useShot()
const workspace = useWorkspace()
const entries = useEntries<AddedLight>('/balance/added')
const light = computed(() => {
  const { axis, name } = workspace.chosen ?? {}
  return axis === 'lights' ? entries.all.value.find((one) => one.name === name) : undefined
})
const id = computed(() => light.value!.id!)
const passes = computed(() => shots.variant?.reading.passes ?? [])
const has = (role: string) => passes.value.some((one) => one.role === role)
const lacks = computed(() => {
  const needed = [
    has('normal') ? '' : 'a normal pass',
    passes.value.some((one) => one.part === 'colour') ? '' : 'an albedo pass',
  ].filter(Boolean)
  return needed.length ? `Needs ${needed.join(' and ')}` : ''
})
const whyNot = (kind: string) =>
  lacks.value || (kind === 'point' && !has('position') ? 'Needs a position pass' : '')
const angles = computed(() =>
  light.value?.kind === 'side' ? anglesOf(light.value.direction as Triple) : null,
)
const shadows = computed(() => [
  { value: null, words: 'none' },
  ...passes.value
    .filter((one) => ['shadow', 'occlusion', 'mask'].includes(one.role))
    .map((one) => ({ value: one.name, words: one.name })),
])

const show = (change: object) => entries.show(id.value, change)
const keep = (change: object, what: string) =>
  entries.keep(id.value, change, `${displayName(light.value!.name)}: ${what}`)
const placing = usePlacing(() => light.value!, {
  moving: show,
  settled: (change) => keep(change, 'placed in the image'),
})
watch(() => light.value?.id, placing.stop)
onScopeDispose(placing.stop)

function add(kind: (typeof KINDS)[number]) {
  const taken = [...(shots.variant?.reading.lights ?? []), ...entries.all.value.map((one) => one.name)]
  const name = freeName(kind.kind, taken)
  entries.add([{ ...NEW[kind.kind], name } as AddedLight], `${displayName(name)} added`)
  workspace.choose('lights', name)
}

function remove() {
  entries.drop(id.value, `${displayName(light.value!.name)} removed`)
  workspace.chosen = null
}

const moved = (axis: number, value: number) => ({
  position: (light.value as { position: Triple }).position.map((was, at) => (at === axis ? value : was)),
})
</script>

<template>
  <section class="bench-part" aria-label="Added light">
    <template v-if="light">
      <div class="bench-head">
        <h2>{{ KINDS.find((one) => one.kind === light!.kind)?.word }}</h2>
        <button
          v-if="light.kind !== 'rim'"
          type="button"
          :aria-pressed="placing.active.value"
          @click="placing.toggle"
        >
          Place in the image
        </button>
        <button type="button" @click="remove">Remove</button>
        <OnSwitch
          :name="displayName(light.name)"
          :on="light.on !== false"
          @change="keep({ on: $event }, $event ? 'on' : 'off')"
        />
      </div>
      <template v-if="angles">
        <RulerScale
          label="Azimuth"
          :scale="AZIMUTH"
          :value="angles.azimuth"
          note="around the vertical axis"
          @moving="show({ direction: directionOf($event, angles.elevation) })"
          @settled="
            keep({ direction: directionOf($event, angles.elevation) }, `azimuth ${readout(AZIMUTH, $event)}°`)
          "
        />
        <RulerScale
          label="Elevation"
          :scale="ELEVATION"
          :value="angles.elevation"
          @moving="show({ direction: directionOf(angles.azimuth, $event) })"
          @settled="
            keep(
              { direction: directionOf(angles.azimuth, $event) },
              `elevation ${readout(ELEVATION, $event)}°`,
            )
          "
        />
      </template>
      <template v-if="light.kind === 'point'">
        <RulerScale
          v-for="(letter, axis) in ['X', 'Y', 'Z']"
          :key="letter"
          :label="`Position ${letter}`"
          :scale="PLACE"
          :value="light.position[axis]!"
          @moving="show(moved(axis, $event))"
          @settled="keep(moved(axis, $event), `position ${letter} ${readout(PLACE, $event)} units`)"
        />
        <RulerScale
          label="Radius"
          :scale="RADIUS"
          :value="light.radius ?? 1"
          note="where it is 1"
          @moving="show({ radius: $event })"
          @settled="keep({ radius: $event }, `radius ${readout(RADIUS, $event)} units`)"
        />
      </template>
      <RulerScale
        v-if="light.kind === 'rim'"
        label="Edge"
        :scale="EDGE"
        :value="light.edge ?? 2"
        note="higher is narrower"
        @moving="show({ edge: $event })"
        @settled="keep({ edge: $event }, `edge ${readout(EDGE, $event)}`)"
      />
      <TripleRuler
        label="Colour"
        :scale="COLOUR"
        :value="(light.colour ?? [1, 1, 1]) as Triple"
        keeps="ratio"
        @moving="show({ colour: $event })"
        @settled="keep({ colour: $event }, 'colour')"
      />
      <template v-if="light.kind !== 'rim'">
        <RulerScale
          label="Specular"
          :scale="SHARE"
          :value="100 * (light.specular ?? 0)"
          @moving="show({ specular: $event / 100 })"
          @settled="keep({ specular: $event / 100 }, `specular ${readout(SHARE, $event)}%`)"
        />
        <RulerScale
          label="Roughness"
          :scale="ROUGHNESS"
          :value="100 * (light.roughness ?? 0.4)"
          @moving="show({ roughness: $event / 100 })"
          @settled="keep({ roughness: $event / 100 }, `roughness ${readout(SHARE, $event)}%`)"
        />
      </template>
      <div class="bench-head">
        <span class="quiet">Shadow pass</span>
        <Select
          :model-value="light.shadow_pass ?? null"
          :options="shadows"
          option-label="words"
          option-value="value"
          placeholder="none"
          aria-label="Shadow pass"
          @update:model-value="keep({ shadow_pass: $event }, `shadow pass ${$event ?? 'none'}`)"
        />
      </div>
    </template>
    <div class="bench-head">
      <span class="quiet">Add a light</span>
      <button
        v-for="kind in KINDS"
        :key="kind.kind"
        type="button"
        :disabled="Boolean(whyNot(kind.kind))"
        :title="whyNot(kind.kind) || kind.what"
        @click="add(kind)"
      >
        {{ kind.word }}
      </button>
    </div>
    <p v-if="lacks" class="quiet">{{ lacks }}: assign the role at Source.</p>
  </section>
</template>
