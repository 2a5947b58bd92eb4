<script setup lang="ts">
import { computed } from 'vue'
import type { Survey } from '@/api/types'
import RulerScale from '@/parts/RulerScale.vue'
import { factorScale, readout } from '@/parts/ruler'
import { useShot } from '@/stores/shot'
import { distanceText, useDepth } from './useDepth'

/** How the depth pass is read: what was found, and what may be said otherwise. */
const { reading, survey } = useDepth()
const shots = useShot()
const SCALE = { ...factorScale(1000, 1), min: 0.0001, digits: 4 }
const UNITS = { ...factorScale(10000, 0), step: 1, major: 5, unit: 'scene units' }
const KINDS: Record<string, string> = {
  planar: 'distance along the axis',
  ray: 'distance from the eye',
  inverse: 'one over distance',
  unit: '0 to 1 between two distances',
}
const passes = computed(() => (shots.variant?.reading.passes ?? []).filter((p) => p.channels.length === 1))
const told = (found: Survey) =>
  found.edges.length
    ? `${distanceText(found.edges[0]!)} to ${distanceText(found.edges.at(-1)!)} scene units, nothing in ${Math.round(found.nothing * 100)} %`
    : 'nothing in all of it'
const chosen = (event: Event) => (event.target as HTMLSelectElement).value || null
</script>

<template>
  <section class="bench-part" aria-label="How depth is read">
    <h2>How depth is read</h2>
    <template v-if="survey?.found">
      <p class="quiet">
        {{ survey.found.name }}: {{ told(survey) }}. Taken for {{ KINDS[survey.found.kind] }}:
        {{ survey.found.reason }}.
        <template v-if="survey.takes_ray_as_axial">
          The header does not tell the field of view, so focus measures from the eye too.
        </template>
      </p>
      <label class="bench-head">
        <span class="quiet">Pass</span>
        <select
          aria-label="Depth pass"
          :value="reading.now.value.pass ?? ''"
          @change="reading.keep({ pass: chosen($event) }, 'depth pass')"
        >
          <option value="">as found: {{ survey.found.name }}</option>
          <option v-for="p in passes" :key="p.name" :value="p.name">{{ p.name }}</option>
        </select>
      </label>
      <label class="bench-head">
        <span class="quiet">It holds</span>
        <select
          aria-label="What the depth pass holds"
          :value="reading.now.value.kind ?? ''"
          @change="reading.keep({ kind: chosen($event) }, 'how depth is read')"
        >
          <option value="">as found: {{ KINDS[survey.found.kind] }}</option>
          <option v-for="(words, kind) in KINDS" :key="kind" :value="kind">{{ words }}</option>
        </select>
      </label>
      <template v-if="survey.kind === 'unit'">
        <RulerScale
          v-for="end in ['near', 'far'] as const"
          :key="end"
          :label="end === 'near' ? '0 is at' : '1 is at'"
          :scale="UNITS"
          :value="reading.now.value[end]"
          @moving="reading.show({ [end]: $event })"
          @settled="reading.keep({ [end]: $event }, `depth ${end} ${readout(UNITS, $event)}`)"
        />
        <button
          type="button"
          @click="
            reading.keep({ near: reading.now.value.far, far: reading.now.value.near }, 'depth turned round')
          "
        >
          turn round
        </button>
      </template>
      <RulerScale
        v-else
        label="Times"
        :scale="SCALE"
        :value="reading.now.value.scale"
        @moving="reading.show({ scale: $event })"
        @settled="reading.keep({ scale: $event }, `depth times ${readout(SCALE, $event)}`)"
      />
    </template>
    <p v-else class="quiet">
      No pass of this render holds depth. If one is named unusually, give it its role at Source.
    </p>
  </section>
</template>

<style scoped>
select {
  flex: 1;
  min-width: 0;
}
</style>
