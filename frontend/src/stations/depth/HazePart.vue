<script setup lang="ts">
import { computed } from 'vue'
import type { Triple } from '@/api/types'
import MatteButton from '@/mattes/MatteButton.vue'
import OnSwitch from '@/widgets/OnSwitch.vue'
import RulerScale from '@/widgets/RulerScale.vue'
import TripleRuler from '@/widgets/TripleRuler.vue'
import { factorScale, readout, STOPS, type RulerScale as Scale } from '@/widgets/ruler'
import { useDepth } from './useDepth'

/** Air that takes light away and adds its own. */
const { haze, survey } = useDepth()
const air = computed(() => haze.now.value)
const UNITS: Scale = { min: 0, max: 1000, neutral: 0, step: 0.5, major: 4, spacing: 12, digits: 2, signed: false, unit: 'scene units' } // prettier-ignore
const DENSITY: Scale = {
  ...UNITS,
  max: 10,
  neutral: 0.05,
  step: 0.002,
  major: 5,
  digits: 4,
  unit: '/ unit',
}
const COLOUR = factorScale(4, 0.18)
const half = computed(() =>
  air.value.density > 0 ? (air.value.start + Math.LN2 / air.value.density).toFixed(1) : null,
)
const onWith = (change: object) => ({ ...change, on: true })

function turnHeight() {
  const height = air.value.height ? null : { base: 0, thickness: 5, up: [0, 1, 0] }
  haze.keep({ height }, height ? 'Haze height falloff on' : 'Haze height falloff off')
}
const withHeight = (change: object) => ({ height: { ...air.value.height, ...change } })
const switched = () =>
  air.value.on || !survey.value?.has_sky ? { on: !air.value.on } : { on: true, background: true }
</script>

<template>
  <section class="bench-part" aria-label="Haze">
    <div class="bench-head">
      <h2>Haze</h2>
      <OnSwitch name="Haze" :on="air.on" @change="haze.keep(switched(), `Haze: ${$event ? 'on' : 'off'}`)" />
    </div>
    <RulerScale
      label="Density"
      :scale="DENSITY"
      :value="air.density"
      :note="half === null ? 'no haze' : `50% at ${half}`"
      @moving="haze.show(onWith({ density: $event }))"
      @settled="haze.keep(onWith({ density: $event }), `Haze density ${readout(DENSITY, $event)}`)"
    />
    <RulerScale
      label="Start distance"
      :scale="UNITS"
      :value="air.start"
      @moving="haze.show({ start: $event })"
      @settled="haze.keep({ start: $event }, `Haze start ${readout(UNITS, $event)} scene units`)"
    />
    <TripleRuler
      label="Colour"
      :value="air.colour as Triple"
      :scale="COLOUR"
      keeps="ratio"
      @moving="haze.show({ colour: $event })"
      @settled="haze.keep({ colour: $event }, 'Haze colour')"
    />
    <RulerScale
      label="Brightness"
      :scale="STOPS"
      :value="air.level"
      @moving="haze.show({ level: $event })"
      @settled="haze.keep({ level: $event }, `Haze brightness ${readout(STOPS, $event)} stops`)"
    />
    <div class="bench-head">
      <button
        type="button"
        :aria-pressed="air.background"
        title="Also where the depth pass is empty, as in the sky"
        @click="
          haze.keep({ background: !air.background }, `Haze on background: ${air.background ? 'off' : 'on'}`)
        "
      >
        Apply to background
      </button>
      <button type="button" :aria-pressed="!!air.height" @click="turnHeight">Height falloff</button>
    </div>
    <template v-if="air.height">
      <RulerScale
        label="Base height"
        :scale="{ ...UNITS, min: -100, max: 100, signed: true }"
        :value="air.height.base ?? 0"
        @moving="haze.show(withHeight({ base: $event }))"
        @settled="haze.keep(withHeight({ base: $event }), 'Haze base height')"
      />
      <RulerScale
        label="Scale height"
        :scale="{ ...UNITS, min: 0.05, neutral: 5 }"
        :value="air.height.thickness"
        @moving="haze.show(withHeight({ thickness: $event }))"
        @settled="haze.keep(withHeight({ thickness: $event }), 'Haze scale height')"
      />
    </template>
    <MatteButton :what="haze.matteTarget('the haze')" />
  </section>
</template>
