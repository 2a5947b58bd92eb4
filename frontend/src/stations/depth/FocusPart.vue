<script setup lang="ts">
import { computed } from 'vue'
import OnSwitch from '@/widgets/OnSwitch.vue'
import RulerScale from '@/widgets/RulerScale.vue'
import { readout, SHARE, TURN, type RulerScale as Scale } from '@/widgets/ruler'
import DepthRuler from './DepthRuler.vue'
import { distanceText, useDepth } from './useDepth'

/** A thin lens: what is in focus, how wide its aperture is, and the shape of that. */
const { defocus, survey, switchedOn, apertureOf, radiusOf } = useDepth()
const lens = computed(() => defocus.now.value)
/** The document holds the radius for a focus at one unit; the ruler shows what it is for the focus that is set. */
const RADIUS = computed<Scale>(() => ({
  min: 0, max: 512, neutral: radiusOf(4, lens.value.focus), step: 1, major: 5, spacing: 14, digits: 1, signed: false, unit: 'px',
})) // prettier-ignore
const LIMIT: Scale = { min: 0, max: 512, neutral: 64, step: 2, major: 5, spacing: 14, digits: 0, signed: false, unit: 'px' } // prettier-ignore
const SHAPES = [0, 5, 6, 7, 8, 9, 10, 11]
const radius = computed(() => radiusOf(lens.value.aperture, lens.value.focus))
const onWith = (change: object) => (lens.value.on ? change : switchedOn(change))
const withRadius = (px: number) => onWith({ aperture: apertureOf(px, lens.value.focus) })
/** The distances whose discs are smaller than a pixel. */
const sharp = computed<[number, number] | null>(() => {
  if (!lens.value.on || lens.value.aperture <= 0) return null
  const [near, far] = [1, -1].map((side) => 1 / lens.value.focus + (side * 0.5) / lens.value.aperture)
  return [1 / near!, far! > 0 ? 1 / far! : 1e9]
})
</script>

<template>
  <section class="bench-part" aria-label="Focus">
    <div class="bench-head">
      <h2>Focus</h2>
      <OnSwitch
        name="Defocus"
        :on="lens.on"
        @change="defocus.keep($event ? switchedOn({}) : { on: false }, `Defocus: ${$event ? 'on' : 'off'}`)"
      />
    </div>
    <DepthRuler
      v-if="survey"
      :survey="survey"
      :focus="lens.focus"
      :sharp="sharp"
      @moving="defocus.show(onWith({ focus: $event }))"
      @settled="defocus.keep(onWith({ focus: $event }), `Focus distance ${distanceText($event)} scene units`)"
    />
    <RulerScale
      label="Blur radius at infinity"
      :scale="RADIUS"
      :value="radius"
      :note="radius > lens.limit_px ? `limited to ${readout(LIMIT, lens.limit_px)} px` : ''"
      @moving="defocus.show(withRadius($event))"
      @settled="defocus.keep(withRadius($event), `Blur radius at infinity ${readout(RADIUS, $event)} px`)"
    />
    <RulerScale
      label="Max blur radius"
      :scale="LIMIT"
      :value="lens.limit_px"
      @moving="defocus.show({ limit_px: $event })"
      @settled="defocus.keep({ limit_px: $event }, `Max blur radius ${readout(LIMIT, $event)} px`)"
    />
    <div class="bench-head">
      <span class="quiet">Aperture shape</span>
      <select
        aria-label="Aperture shape"
        :value="lens.blades"
        @change="
          defocus.keep({ blades: Number(($event.target as HTMLSelectElement).value) }, 'Aperture shape')
        "
      >
        <option v-for="blades in SHAPES" :key="blades" :value="blades">
          {{ blades ? `${blades} blades` : 'Round' }}
        </option>
      </select>
    </div>
    <template v-if="lens.blades">
      <RulerScale
        label="Blade rotation"
        :scale="TURN"
        :value="lens.turn"
        @moving="defocus.show({ turn: $event })"
        @settled="defocus.keep({ turn: $event }, `Blade rotation ${readout(TURN, $event)}°`)"
      />
      <RulerScale
        label="Roundness"
        :scale="SHARE"
        :value="lens.round * 100"
        @moving="defocus.show({ round: $event / 100 })"
        @settled="defocus.keep({ round: $event / 100 }, `Aperture roundness ${readout(SHARE, $event)}%`)"
      />
    </template>
  </section>
</template>
