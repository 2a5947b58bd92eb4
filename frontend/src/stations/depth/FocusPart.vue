<script setup lang="ts">
import { computed } from 'vue'
import RulerScale from '@/parts/RulerScale.vue'
import { readout, SHARE, TURN, type RulerScale as Scale } from '@/parts/ruler'
import DepthRuler from './DepthRuler.vue'
import { distanceText, useDepth } from './useDepth'

/** A thin lens: what is in focus, how wide its aperture is, and the shape of that. */
const { defocus, survey } = useDepth()
const lens = computed(() => defocus.now.value)
const APERTURE: Scale = { min: 0, max: 4096, neutral: 4, step: 4, major: 5, spacing: 14, digits: 1, signed: false, unit: 'px at one unit' } // prettier-ignore
const LIMIT: Scale = { ...APERTURE, max: 512, neutral: 64, step: 2, digits: 0, unit: 'px' }
const SHAPES = [0, 5, 6, 7, 8, 9, 10, 11]
const atInfinity = computed(() =>
  Math.min(lens.value.limit_px, lens.value.aperture / lens.value.focus).toFixed(1),
)
/** The distances whose discs are smaller than a pixel. */
const sharp = computed<[number, number] | null>(() => {
  if (!lens.value.on || lens.value.aperture <= 0) return null
  const [near, far] = [1, -1].map((side) => 1 / lens.value.focus + (side * 0.5) / lens.value.aperture)
  return [1 / near!, far! > 0 ? 1 / far! : 1e9]
})

const onWith = (change: object) => ({ ...change, on: true })
</script>

<template>
  <section class="bench-part" aria-label="Focus">
    <div class="bench-head">
      <h2>Focus</h2>
      <button
        type="button"
        :aria-pressed="lens.on"
        @click="defocus.keep({ on: !lens.on }, `defocus ${lens.on ? 'off' : 'on'}`)"
      >
        {{ lens.on ? 'on' : 'off' }}
      </button>
    </div>
    <DepthRuler
      v-if="survey"
      :survey="survey"
      :focus="lens.focus"
      :sharp="sharp"
      @moving="defocus.show(onWith({ focus: $event }))"
      @settled="defocus.keep(onWith({ focus: $event }), `focus ${distanceText($event)}`)"
    />
    <RulerScale
      label="Aperture"
      :scale="APERTURE"
      :value="lens.aperture"
      :note="`${atInfinity} px at infinity`"
      @moving="defocus.show(onWith({ aperture: $event }))"
      @settled="defocus.keep(onWith({ aperture: $event }), `aperture ${readout(APERTURE, $event)} px`)"
    />
    <RulerScale
      label="Never wider than"
      :scale="LIMIT"
      :value="lens.limit_px"
      @moving="defocus.show({ limit_px: $event })"
      @settled="defocus.keep({ limit_px: $event }, `discs up to ${readout(LIMIT, $event)} px`)"
    />
    <div class="bench-head">
      <span class="quiet">Opening</span>
      <select
        aria-label="Shape of the opening"
        :value="lens.blades"
        @change="
          defocus.keep({ blades: Number(($event.target as HTMLSelectElement).value) }, 'shape of the opening')
        "
      >
        <option v-for="blades in SHAPES" :key="blades" :value="blades">
          {{ blades ? `${blades} blades` : 'round' }}
        </option>
      </select>
    </div>
    <template v-if="lens.blades">
      <RulerScale
        label="Turned"
        :scale="TURN"
        :value="lens.turn"
        @moving="defocus.show({ turn: $event })"
        @settled="defocus.keep({ turn: $event }, `opening turned ${readout(TURN, $event)}°`)"
      />
      <RulerScale
        label="Rounded"
        :scale="SHARE"
        :value="lens.round * 100"
        @moving="defocus.show({ round: $event / 100 })"
        @settled="defocus.keep({ round: $event / 100 }, `opening rounded ${readout(SHARE, $event)} %`)"
      />
    </template>
  </section>
</template>
