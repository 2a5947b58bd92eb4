<script setup lang="ts">
import { computed } from 'vue'
import OnSwitch from '@/widgets/OnSwitch.vue'
import RulerScale from '@/widgets/RulerScale.vue'
import { factorScale, readout } from '@/widgets/ruler'
import { useDepth } from './useDepth'

/** An open shutter, by the vectors of the render. */
const { motion, survey } = useDepth()
const open = computed(() => motion.now.value)
const FRAMES = { ...factorScale(4, 0.5), unit: 'frames' }
const CENTRE = { ...factorScale(1, 0), min: -1, signed: true }
const onWith = (change: object) => ({ ...change, on: true })
const turned = (axis: 0 | 1) => open.value.scale.map((one, i) => (i === axis ? -one : one))
const AXES = [
  { axis: 0, words: 'Flip X' },
  { axis: 1, words: 'Flip Y' },
] as const
</script>

<template>
  <section class="bench-part" aria-label="Motion blur">
    <div class="bench-head">
      <h2>Motion blur</h2>
      <OnSwitch
        name="Motion blur"
        :on="open.on"
        :disabled="!survey?.moves"
        @change="motion.keep({ on: $event }, `Motion blur: ${$event ? 'on' : 'off'}`)"
      />
    </div>
    <p v-if="survey && !survey.moves" class="quiet">No motion vector pass in this render.</p>
    <template v-else>
      <RulerScale
        label="Shutter"
        :scale="FRAMES"
        :value="open.shutter"
        @moving="motion.show(onWith({ shutter: $event }))"
        @settled="motion.keep(onWith({ shutter: $event }), `Shutter ${readout(FRAMES, $event)} frames`)"
      />
      <RulerScale
        label="Shutter offset"
        :scale="CENTRE"
        :value="open.centre"
        @moving="motion.show({ centre: $event })"
        @settled="motion.keep({ centre: $event }, `Shutter offset ${readout(CENTRE, $event)}`)"
      />
      <div class="bench-head">
        <button
          v-for="{ axis, words } in AXES"
          :key="axis"
          type="button"
          :aria-pressed="open.scale[axis] < 0"
          title="For renderers that store this axis with the opposite sign"
          @click="
            motion.keep(
              { scale: turned(axis) },
              `Motion vectors: ${words} ${open.scale[axis] < 0 ? 'off' : 'on'}`,
            )
          "
        >
          {{ words }}
        </button>
      </div>
    </template>
  </section>
</template>
