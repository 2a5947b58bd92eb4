<script setup lang="ts">
import { displayName, percent, stopsText, threeText } from '@/format'
import { computed, ref } from 'vue'
import type { Probe } from '@/api/types'
import { useWorkspace } from '@/stores/workspace'
import { useNotifications } from '@/stores/notifications'
import { usePinProbe } from '@/composables/usePinProbe'

/** Pixel values at the pins, and which lights, components and passes make them. */
const workspace = useWorkspace()
const notifications = useNotifications()
const { probe, probes, loading } = usePinProbe()
const copied = ref(false)
const SIZES = [1, 3, 5, 11, 21]
const MOST_PASSES = 6
const MOST_LIGHTS = 3

const groups = computed(() =>
  probe.value
    ? [
        { title: 'By light', parts: probe.value.lights },
        { title: 'By component', parts: probe.value.components },
        { title: 'By pass', parts: probe.value.passes.filter((p) => p.share > 0).slice(0, MOST_PASSES) },
      ].filter((group) => group.parts.length)
    : [],
)
/** The lights, else the components, that make the pixel, the strongest first. */
const made = computed(() => {
  const parts = probe.value?.lights.length ? probe.value.lights : (probe.value?.components ?? [])
  return parts
    .filter((part) => part.share >= 0.005)
    .slice(0, MOST_LIGHTS)
    .map((part) => `${displayName(part.name)} ${percent(part.share)}`)
    .join(', ')
})
const lightOf = (found: Probe) => (found.stops === null ? 'no light' : `${stopsText(found.stops)} stops`)
const hueOf = (found: Probe) =>
  found.saturation === null
    ? 'NaN/Inf'
    : found.hue === null
      ? 'none'
      : `${found.hue.toFixed(0)}°, ${percent(found.saturation)}`

/** The pins as lines of text, for a message to somebody else. */
function asText(): string {
  return probes.value.flatMap((found, index) => (found ? [textOf(found, index)] : [])).join('\n')
}

function textOf(found: Probe, index: number): string {
  const parts = (list: Probe['lights']) =>
    list.map((part) => `${displayName(part.name)} ${percent(part.share)}`).join(', ')
  return [
    `Pin ${index + 1} at ${found.x}, ${found.y} (${found.size} × ${found.size} px)`,
    `  Scene-linear    ${threeText(found.linear, 5)}`,
    `  Beauty in file  ${threeText(found.source, 5)}`,
    `  Stops           ${lightOf(found)}`,
    `  Display (0–255) ${threeText(found.display, 1)}`,
    `  Hue, saturation ${hueOf(found)}`,
    `  By light        ${parts(found.lights)}`,
    `  By component    ${parts(found.components)}`,
  ].join('\n')
}

async function copy() {
  try {
    await navigator.clipboard.writeText(asText())
    copied.value = true
    setTimeout(() => (copied.value = false), 1500)
  } catch (error) {
    notifications.show(error)
  }
}
</script>

<template>
  <section class="bench-part probe-panel" aria-label="Probe" :aria-busy="loading">
    <div class="bench-head">
      <h2>Probe</h2>
      <label v-if="probe" class="quiet size">
        {{ probe.x }}, {{ probe.y }} ·
        <select v-model.number="workspace.probeSize" aria-label="Sample size">
          <option v-for="size in SIZES" :key="size" :value="size">{{ size }} × {{ size }}</option>
        </select>
      </label>
      <button v-if="probe" type="button" class="link" title="Copy as text" @click="copy">
        {{ copied ? 'Copied' : 'Copy' }}
      </button>
      <button v-if="probe" type="button" class="link" aria-label="Remove pin" @click="workspace.putPin(null)">
        Remove
      </button>
      <slot />
    </div>
    <p v-if="!workspace.pins.length" class="quiet">
      Click in the image to place a pin; Shift-click adds another.
    </p>
    <ol v-if="workspace.pins.length > 1" class="pins">
      <li v-for="(found, index) in probes" :key="index">
        <button
          type="button"
          :aria-pressed="index === workspace.chosenPin"
          @click="workspace.chosenPin = index"
        >
          {{ index + 1 }}
        </button>
        <span v-if="found" class="number">{{ threeText(found.linear, 3) }}</span>
        <span v-if="found" class="number">{{ lightOf(found) }}</span>
      </li>
    </ol>
    <template v-if="probe">
      <dl class="values">
        <dt>Scene-linear</dt>
        <dd>
          {{ threeText(probe.linear, 3) }}<span>{{ lightOf(probe) }}</span>
        </dd>
        <dt v-if="made">Made of</dt>
        <dd v-if="made" class="made">{{ made }}</dd>
      </dl>
      <details>
        <summary>Details</summary>
        <dl class="values">
          <dt>Beauty in file</dt>
          <dd>{{ threeText(probe.source, 3) }}</dd>
          <dt>Display (0–255)</dt>
          <dd>{{ threeText(probe.display, 0) }}</dd>
          <dt>Hue, saturation</dt>
          <dd>{{ hueOf(probe) }}</dd>
          <template v-if="probe.alpha !== null">
            <dt>Alpha</dt>
            <dd>{{ probe.alpha.toFixed(3) }}</dd>
          </template>
        </dl>
        <template v-for="group in groups" :key="group.title">
          <h3>{{ group.title }}</h3>
          <div v-for="part in group.parts" :key="part.name" class="part">
            <span :title="part.name">{{ displayName(part.name) }}</span>
            <i><b :style="{ width: `${part.share * 100}%` }" /></i>
            <span class="number">{{ percent(part.share) }}</span>
          </div>
        </template>
      </details>
    </template>
  </section>
</template>

<style scoped>
.link {
  padding: 0;
  border: 0;
  background: none;
  color: var(--text-3);
  font-size: 12px;
}
.size {
  flex: 1;
  font-size: 12px;
  white-space: nowrap;
}
h2 {
  flex: none;
}
.link:first-of-type {
  margin-left: auto;
}
.values dd span {
  margin-left: 14px;
  font-weight: 400;
}
.values .made {
  font-weight: 400;
  white-space: normal;
}
summary {
  color: var(--text-3);
  font-size: 12px;
  cursor: pointer;
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
