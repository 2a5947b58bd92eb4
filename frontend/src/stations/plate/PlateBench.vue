<script setup lang="ts">
import { computed } from 'vue'
import CorrectionList from '@/corrections/CorrectionList.vue'
import { levelOf, levelPatch } from '@/document/levels'
import { useShot } from '@/stores/shot'
import EdgesPart from './EdgesPart.vue'
import LayerControls from './LayerControls.vue'
import { usePlate } from './usePlate'

/** The chosen layer of the plate: its controls, corrections and edges. */
const plate = usePlate()
const shots = useShot()
const facts = computed(() => plate.chosenFacts.value)
const layer = computed(() => plate.chosenLayer.value)
/** The sky that the CG itself shows, which would stand before another one. */
const hasEnvironment = computed(() => shots.variant?.reading.components.includes('environment') ?? false)
const environment = computed(() => levelOf(shots.document!, 'components', 'environment'))
const isMuted = computed(() => environment.value.mute)
function muteEnvironment() {
  const mute = !isMuted.value
  const patch = levelPatch('components', 'environment', { ...environment.value, mute })
  void shots.edit(patch, `Environment: mute ${mute ? 'on' : 'off'}`)
}
const hasEdges = computed(() => facts.value?.kind === 'cg' || facts.value?.kind === 'render')
</script>

<template>
  <section v-if="!plate.facts.value" class="bench-part" aria-label="Plate">
    <h2>Plate</h2>
    <p class="quiet">Reading the layers…</p>
  </section>
  <template v-else-if="facts">
    <LayerControls :key="`controls ${facts.id}`" :facts="facts" :layer="layer" />
    <EdgesPart v-if="hasEdges" :id="facts.id" :key="`edges ${facts.id}`" :layer="layer" />
    <section v-if="facts.kind === 'cg'" class="bench-part" aria-label="Alpha">
      <h2>Alpha</h2>
      <p v-for="words in plate.facts.value.alpha" :key="words" class="quiet">{{ words }}</p>
      <button
        v-if="hasEnvironment"
        type="button"
        class="mute"
        :aria-pressed="isMuted"
        @click="muteEnvironment"
      >
        Mute environment
      </button>
    </section>
    <CorrectionList
      v-if="layer"
      :key="`corrections ${facts.id}`"
      :place="`/plate/layers/${layer.id}/corrections`"
    />
  </template>
</template>

<style scoped>
.mute {
  justify-self: start;
}
</style>
