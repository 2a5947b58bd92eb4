<script setup lang="ts">
import { computed } from 'vue'
import { passPicture } from '@/api/client'
import { useRoom } from '@/stores/room'
import { useShot } from '@/stores/shot'
import { meaningOf } from './meaning'

const shots = useShot()
const room = useRoom()
const render = computed(() => shots.shot?.render)
const pass = computed(
  () => render.value?.passes.find((p) => p.name === room.chosenPass) ?? render.value?.passes[0],
)
const facts = computed(() =>
  Object.entries(render.value?.attributes ?? {}).filter(([key]) => !key.startsWith('cryptomatte/')),
)
const frames = computed(() => Object.keys(render.value?.frames ?? {}))
const ranges = computed(() =>
  pass.value
    ? pass.value.channels.map((channel, i) => ({
        channel,
        low: pass.value!.statistics.low[i] ?? 0,
        high: pass.value!.statistics.high[i] ?? 0,
      }))
    : [],
)
const number = (value: number) => (value === 0 ? '0' : value.toPrecision(4)).replace('-', '−')
</script>

<template>
  <section v-if="render && shots.shot" class="bench-part" aria-label="Render">
    <h2>{{ render.display.width }} × {{ render.display.height }}, {{ render.passes.length }} passes</h2>
    <p class="quiet">
      {{ frames.length === 1 ? `frame ${frames[0]}` : `frames ${frames[0]} to ${frames.at(-1)}` }} ·
      {{ render.input_space }}: {{ render.input_space_reason }}.
    </p>
    <p v-for="finding in render.diagnostics" :key="finding.code" class="warning">{{ finding.message }}</p>
  </section>
  <section v-if="pass && shots.shot" class="bench-part" aria-label="Pass">
    <div class="bench-head">
      <h2>{{ pass.name }}</h2>
    </div>
    <img
      class="large"
      :src="passPicture(shots.shot.id, pass.name, 640, room.frame, shots.renderKey)"
      :alt="`The pass ${pass.name}`"
    />
    <p>{{ meaningOf(pass) }}</p>
    <p class="quiet">{{ pass.reason }}; sure to {{ Math.round(pass.sure * 100) }} %.</p>
    <p v-for="finding in pass.diagnostics" :key="finding.code" class="warning">{{ finding.message }}</p>
    <dl class="values">
      <dt>stored as</dt>
      <dd>{{ pass.pixel_type }}</dd>
      <template v-for="range in ranges" :key="range.channel">
        <dt>{{ range.channel }}</dt>
        <dd>{{ number(range.low) }} to {{ number(range.high) }}</dd>
      </template>
    </dl>
  </section>
  <section class="bench-part" aria-label="Header">
    <h2>Header</h2>
    <dl class="values">
      <template v-for="[key, value] in facts" :key="key">
        <dt>{{ key }}</dt>
        <dd :title="value">{{ value }}</dd>
      </template>
    </dl>
  </section>
</template>

<style scoped>
.large {
  width: 100%;
  background: #000;
}
dd {
  overflow: hidden;
  text-overflow: ellipsis;
}
</style>
