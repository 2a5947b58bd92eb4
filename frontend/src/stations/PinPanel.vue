<script setup lang="ts">
import { computed } from 'vue'
import { percent, spoken, stopsText } from '@/stores/levels'
import { usePinProbe } from './usePinProbe'

const { probe } = usePinProbe()

const three = (values: readonly number[], digits: number) =>
  values.map((v) => v.toFixed(digits).replace('-', '−')).join('  ')
const groups = computed(() =>
  probe.value
    ? [
        { title: 'By light', parts: probe.value.lights },
        { title: 'By component', parts: probe.value.components },
      ].filter((group) => group.parts.length)
    : [],
)
</script>

<template>
  <section class="bench-part pin-panel" aria-label="At the pin">
    <div class="bench-head">
      <h2>At the pin</h2>
      <span v-if="probe" class="quiet"
        >{{ probe.x }}, {{ probe.y }} · {{ probe.size }} × {{ probe.size }} px</span
      >
    </div>
    <p v-if="!probe" class="quiet">Click in the picture to see what a place is made of.</p>
    <template v-else>
      <dl class="values">
        <dt>scene-linear</dt>
        <dd>{{ three(probe.linear, 3) }}</dd>
        <dt>over grey</dt>
        <dd>{{ probe.stops === null ? 'no light' : `${stopsText(probe.stops)} stops` }}</dd>
        <dt>on screen</dt>
        <dd>{{ three(probe.display, 0) }}</dd>
      </dl>
      <template v-for="group in groups" :key="group.title">
        <h3>{{ group.title }}</h3>
        <div v-for="part in group.parts" :key="part.name" class="part">
          <span>{{ spoken(part.name) }}</span>
          <i><b :style="{ width: `${part.share * 100}%` }" /></i>
          <span class="number">{{ percent(part.share) }}</span>
        </div>
      </template>
    </template>
  </section>
</template>

<style scoped>
.pin-panel {
  gap: 4px;
}
h3 {
  margin: 4px 0 0;
  color: var(--text-3);
  font-size: 12px;
  font-weight: 400;
}
.part {
  display: grid;
  grid-template-columns: 96px 1fr 52px;
  gap: 8px;
  align-items: center;
  line-height: 18px;
}
.part i {
  height: 6px;
  background: var(--well);
}
.part b {
  display: block;
  height: 6px;
  background: var(--text-2);
}
.number {
  text-align: right;
}
</style>
