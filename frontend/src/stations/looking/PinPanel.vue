<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Probe } from '@/api/types'
import { percent, spoken, stopsText, threeText } from '@/stores/levels'
import { useRoom } from '@/stores/room'
import { useTroubles } from '@/stores/troubles'
import { usePinProbe } from '@/stores/usePinProbe'

/** What is at the pins: numbers, and which lights, components and passes make them. */
const room = useRoom()
const troubles = useTroubles()
const { probe, probes } = usePinProbe()
const copied = ref(false)
const SIZES = [1, 3, 5, 11, 21]
const MOST_PASSES = 6

const groups = computed(() =>
  probe.value
    ? [
        { title: 'By light', parts: probe.value.lights },
        { title: 'By component', parts: probe.value.components },
        { title: 'By pass', parts: probe.value.passes.filter((p) => p.share > 0).slice(0, MOST_PASSES) },
      ].filter((group) => group.parts.length)
    : [],
)
const lightOf = (found: Probe) => (found.stops === null ? 'no light' : `${stopsText(found.stops)} stops`)
const hueOf = (found: Probe) =>
  found.saturation === null
    ? 'no number'
    : found.hue === null
      ? 'grey'
      : `${found.hue.toFixed(0)}°, ${percent(found.saturation)}`

/** The pins as lines of text, for a message to somebody else. */
function asText(): string {
  return probes.value.flatMap((found, index) => (found ? [textOf(found, index)] : [])).join('\n')
}

function textOf(found: Probe, index: number): string {
  const parts = (list: Probe['lights']) =>
    list.map((part) => `${spoken(part.name)} ${percent(part.share)}`).join(', ')
  return [
    `Pin ${index + 1} at ${found.x}, ${found.y} (${found.size} × ${found.size} px)`,
    `  scene-linear   ${threeText(found.linear, 5)}`,
    `  beauty in file ${threeText(found.source, 5)}`,
    `  over grey      ${lightOf(found)}`,
    `  on screen      ${threeText(found.display, 1)}`,
    `  hue            ${hueOf(found)}`,
    `  by light       ${parts(found.lights)}`,
    `  by component   ${parts(found.components)}`,
  ].join('\n')
}

async function copy() {
  try {
    await navigator.clipboard.writeText(asText())
    copied.value = true
    setTimeout(() => (copied.value = false), 1500)
  } catch (error) {
    troubles.tell(error)
  }
}
</script>

<template>
  <section class="bench-part pin-panel" aria-label="At the pin">
    <div class="bench-head">
      <h2>At the pin</h2>
      <label v-if="probe" class="quiet size">
        mean of
        <select v-model.number="room.probeSize" aria-label="Side of the square that is averaged">
          <option v-for="size in SIZES" :key="size" :value="size">{{ size }} × {{ size }} px</option>
        </select>
      </label>
    </div>
    <p v-if="!room.pins.length" class="quiet">
      Click in the picture to see what a place is made of. Shift click adds a further pin.
    </p>
    <ol v-if="room.pins.length > 1" class="pins">
      <li v-for="(found, index) in probes" :key="index">
        <button type="button" :aria-pressed="index === room.chosenPin" @click="room.chosenPin = index">
          {{ index + 1 }}
        </button>
        <span v-if="found" class="number">{{ threeText(found.linear, 3) }}</span>
        <span v-if="found" class="number">{{ lightOf(found) }}</span>
      </li>
    </ol>
    <template v-if="probe">
      <dl class="values">
        <dt>place</dt>
        <dd>
          {{ probe.x }}, {{ probe.y }} px<template v-if="probe.size > 1"
            >, mean of {{ probe.size }} × {{ probe.size }}</template
          >
        </dd>
        <dt>scene-linear</dt>
        <dd>{{ threeText(probe.linear, 3) }}</dd>
        <dt>beauty, as in the file</dt>
        <dd>{{ threeText(probe.source, 3) }}</dd>
        <dt>over grey 0.18</dt>
        <dd>{{ lightOf(probe) }}</dd>
        <dt>on screen, of 255</dt>
        <dd>{{ threeText(probe.display, 0) }}</dd>
        <dt>hue, saturation</dt>
        <dd>{{ hueOf(probe) }}</dd>
        <template v-if="probe.alpha !== null">
          <dt>alpha</dt>
          <dd>{{ probe.alpha.toFixed(3) }}</dd>
        </template>
      </dl>
      <div class="row">
        <button type="button" @click="copy">{{ copied ? 'copied' : 'copy as text' }}</button>
        <button type="button" @click="room.putPin(null)">take the pin away</button>
      </div>
      <template v-for="group in groups" :key="group.title">
        <h3>{{ group.title }}</h3>
        <div v-for="part in group.parts" :key="part.name" class="part">
          <span :title="part.name">{{ spoken(part.name) }}</span>
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
.size select {
  border: 1px solid var(--line);
  background: var(--well);
  color: inherit;
  font: inherit;
}
.pins {
  margin: 0;
  padding: 0;
  list-style: none;
}
.pins li {
  display: grid;
  grid-template-columns: 34px 1fr auto;
  gap: 10px;
  align-items: center;
  padding: 1px 0;
  white-space: pre;
}
.pins button {
  padding: 0;
}
.row {
  display: flex;
  gap: 4px;
}
.part {
  display: grid;
  grid-template-columns: 120px 1fr 52px;
  gap: 8px;
  align-items: center;
  line-height: 18px;
}
.part span:first-child {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
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
