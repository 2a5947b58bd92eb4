<script setup lang="ts">
import { computed } from 'vue'
import { NEUTRAL_DENOISE } from '@/api/defaults'
import type { Denoise } from '@/api/types'
import OnSwitch from '@/widgets/OnSwitch.vue'
import RulerScale from '@/widgets/RulerScale.vue'
import { readout, SHARE } from '@/widgets/ruler'
import { useWorkspace } from '@/stores/workspace'
import { usePart } from '@/composables/usePart'

/** Passes without their noise: one switch for the shot, or single passes. It is proven, and takes its time, once. */
const workspace = useWorkspace()
const { now, keep } = usePart<Denoise>('/source/denoise', NEUTRAL_DENOISE)
const STRENGTH = { ...SHARE, neutral: 100 }
const only = computed(() => now.value.passes)
const says = computed(() => {
  if (!now.value.on) return 'All lighting passes of the sum, guided by albedo and normal.'
  return only.value ? `Only ${only.value.join(', ')}.` : 'All lighting passes of the sum are denoised.'
})
</script>

<template>
  <section class="bench-part" aria-label="Denoise">
    <div class="bench-head">
      <h2>Denoise</h2>
      <button
        v-if="workspace.chosenPasses.length"
        type="button"
        title="Only the passes selected on the contact sheet"
        @click="keep({ on: true, passes: [...workspace.chosenPasses] }, 'Denoise: selected passes')"
      >
        Selected passes only
      </button>
      <OnSwitch
        name="Denoise"
        :on="now.on"
        @change="keep({ on: $event, passes: null }, `Denoise: ${$event ? 'on' : 'off'}`)"
      />
    </div>
    <p class="quiet">{{ says }} The residual is computed from the original passes.</p>
    <RulerScale
      v-if="now.on"
      label="Strength"
      :scale="STRENGTH"
      :value="now.strength * 100"
      @settled="keep({ strength: $event / 100 }, `Denoise strength ${readout(STRENGTH, $event)}%`)"
    />
  </section>
</template>
