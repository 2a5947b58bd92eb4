<script setup lang="ts">
import { computed } from 'vue'
import { NEUTRAL_DENOISE } from '@/api/defaults'
import type { Denoise } from '@/api/types'
import RulerScale from '@/parts/RulerScale.vue'
import { readout, SHARE } from '@/parts/ruler'
import { useRoom } from '@/stores/room'
import { usePart } from '@/stores/usePart'

/** Passes without their noise: one switch for the shot, or single passes. It is proven, and takes its time, once. */
const room = useRoom()
const { now, keep } = usePart<Denoise>('/source/denoise', NEUTRAL_DENOISE)
const STRENGTH = { ...SHARE, neutral: 100 }
const only = computed(() => now.value.passes)
const says = computed(() => {
  if (!now.value.on) return 'Every colour pass that is summed, guided by albedo and normals.'
  return only.value ? `Only ${only.value.join(', ')}.` : 'Every colour pass that is summed is shown denoised.'
})
</script>

<template>
  <section class="bench-part" aria-label="Denoise">
    <div class="bench-head">
      <h2>Denoise</h2>
      <button
        v-if="room.chosenPasses.length"
        type="button"
        title="Only the passes that are chosen on the sheet"
        @click="keep({ on: true, passes: [...room.chosenPasses] }, 'chosen passes denoised')"
      >
        the chosen ones
      </button>
      <button
        type="button"
        aria-label="Denoise on or off"
        :aria-pressed="now.on"
        @click="keep({ on: !now.on, passes: null }, `denoise ${now.on ? 'off' : 'on'}`)"
      >
        {{ now.on ? 'on' : 'off' }}
      </button>
    </div>
    <p class="quiet">{{ says }} The residual stays that of the passes as stored.</p>
    <RulerScale
      v-if="now.on"
      label="Strength"
      :scale="STRENGTH"
      :value="now.strength * 100"
      @settled="keep({ strength: $event / 100 }, `denoised by ${readout(STRENGTH, $event)} %`)"
    />
  </section>
</template>
