<script setup lang="ts">
import { computed } from 'vue'
import RulerScale from '@/parts/RulerScale.vue'
import { factorScale, readout } from '@/parts/ruler'
import { useDepth } from './useDepth'

/** An open shutter, by the vectors of the render. */
const { motion, survey } = useDepth()
const open = computed(() => motion.now.value)
const FRAMES = { ...factorScale(4, 0.5), unit: 'frames' }
const CENTRE = { ...factorScale(1, 0), min: -1, signed: true }
const onWith = (change: object) => ({ ...change, on: true })
const turned = (axis: 0 | 1) => open.value.scale.map((one, i) => (i === axis ? -one : one))
const AXES = [
  { axis: 0, words: 'turn x' },
  { axis: 1, words: 'turn y' },
] as const
</script>

<template>
  <section class="bench-part" aria-label="Motion">
    <div class="bench-head">
      <h2>Motion</h2>
      <button
        type="button"
        :aria-pressed="open.on"
        :disabled="!survey?.moves"
        @click="motion.keep({ on: !open.on }, `motion blur ${open.on ? 'off' : 'on'}`)"
      >
        {{ open.on ? 'on' : 'off' }}
      </button>
    </div>
    <p v-if="survey && !survey.moves" class="quiet">This render has no pass of motion vectors.</p>
    <template v-else>
      <RulerScale
        label="Shutter open"
        :scale="FRAMES"
        :value="open.shutter"
        @moving="motion.show(onWith({ shutter: $event }))"
        @settled="motion.keep(onWith({ shutter: $event }), `shutter ${readout(FRAMES, $event)} frames`)"
      />
      <RulerScale
        label="Before or after the frame"
        :scale="CENTRE"
        :value="open.centre"
        @moving="motion.show({ centre: $event })"
        @settled="motion.keep({ centre: $event }, `shutter centred at ${readout(CENTRE, $event)}`)"
      />
      <div class="bench-head">
        <button
          v-for="{ axis, words } in AXES"
          :key="axis"
          type="button"
          :aria-pressed="open.scale[axis] < 0"
          title="For renderers that write this axis the other way"
          @click="motion.keep({ scale: turned(axis) }, `vectors: ${words}`)"
        >
          {{ words }}
        </button>
      </div>
    </template>
  </section>
</template>
