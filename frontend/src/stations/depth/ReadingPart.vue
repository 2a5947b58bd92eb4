<script setup lang="ts">
import { computed } from 'vue'
import type { Survey } from '@/api/types'
import RulerScale from '@/widgets/RulerScale.vue'
import { factorScale, readout } from '@/widgets/ruler'
import { useShot } from '@/stores/shot'
import { distanceText, useDepth } from './useDepth'

/** How the depth pass is read: what was found, and what may be said otherwise. */
const { reading, survey, surveyState } = useDepth()
const shots = useShot()
const SCALE = { ...factorScale(1000, 1), min: 0.0001, digits: 4 }
const UNITS = { ...factorScale(10000, 0), step: 1, major: 5, unit: 'scene units' }
const KINDS: Record<string, string> = {
  planar: 'Planar (along camera axis)',
  ray: 'Radial (from camera)',
  inverse: 'Inverse (1/z)',
  unit: 'Normalised 0–1 (near to far)',
}
const passes = computed(() => (shots.variant?.reading.passes ?? []).filter((p) => p.channels.length === 1))
const unwrap = (found: Survey) =>
  found.edges.length
    ? `${distanceText(found.edges[0]!)} to ${distanceText(found.edges.at(-1)!)} scene units, empty in ${Math.round(found.nothing * 100)}%`
    : 'empty everywhere'
const chosen = (event: Event) => (event.target as HTMLSelectElement).value || null
</script>

<template>
  <section class="bench-part" aria-label="Depth pass settings">
    <h2>Depth pass settings</h2>
    <template v-if="survey?.found">
      <p class="quiet">
        {{ survey.found.name }}: {{ unwrap(survey) }}. Detected: {{ KINDS[survey.found.kind] }}:
        {{ survey.found.reason }}.
        <template v-if="survey.takes_ray_as_axial">
          No field of view in the header: focus uses radial distance.
        </template>
      </p>
      <label class="bench-head">
        <span class="quiet">Pass</span>
        <select
          aria-label="Depth pass"
          :value="reading.now.value.pass ?? ''"
          @change="reading.keep({ pass: chosen($event) }, 'Depth pass')"
        >
          <option value="">Auto ({{ survey.found.name }})</option>
          <option v-for="p in passes" :key="p.name" :value="p.name">{{ p.name }}</option>
        </select>
      </label>
      <label class="bench-head">
        <span class="quiet">Depth type</span>
        <select
          aria-label="Depth type"
          :value="reading.now.value.kind ?? ''"
          @change="reading.keep({ kind: chosen($event) }, 'Depth type')"
        >
          <option value="">Auto ({{ KINDS[survey.found.kind] }})</option>
          <option v-for="(words, kind) in KINDS" :key="kind" :value="kind">{{ words }}</option>
        </select>
      </label>
      <template v-if="survey.kind === 'unit'">
        <RulerScale
          v-for="end in ['near', 'far'] as const"
          :key="end"
          :label="end === 'near' ? 'Near' : 'Far'"
          :scale="UNITS"
          :value="reading.now.value[end]"
          @moving="reading.show({ [end]: $event })"
          @settled="reading.keep({ [end]: $event }, `Depth ${end} ${readout(UNITS, $event)}`)"
        />
        <button
          type="button"
          @click="
            reading.keep({ near: reading.now.value.far, far: reading.now.value.near }, 'Near and far swapped')
          "
        >
          Swap near and far
        </button>
      </template>
      <RulerScale
        v-else
        label="Scale"
        :scale="SCALE"
        :value="reading.now.value.scale"
        @moving="reading.show({ scale: $event })"
        @settled="reading.keep({ scale: $event }, `Depth scale ${readout(SCALE, $event)}`)"
      />
    </template>
    <p v-else class="quiet">
      {{
        surveyState === 'ready'
          ? 'No depth pass. If one has an unusual name, set its role at Source.'
          : surveyState === 'error'
            ? 'Depth could not be analysed.'
            : 'Loading…'
      }}
    </p>
  </section>
</template>

<style scoped>
select {
  flex: 1;
  min-width: 0;
}
</style>
