<script setup lang="ts">
import Select from 'primevue/select'
import { computed, onMounted, shallowRef } from 'vue'
import { api, unwrap } from '@/api/client'
import type { StopColour } from '@/api/types'
import RulerScale from '@/widgets/RulerScale.vue'
import { factorScale, STOPS } from '@/widgets/ruler'
import { NO_AIDS } from '@/api/defaults'
import { useWorkspace } from '@/stores/workspace'

const emit = defineEmits<{ close: [] }>()
const workspace = useWorkspace()
const legend = shallowRef<StopColour[]>([])
const GAMMA = factorScale(4, 1)
const SHOWN = [
  { value: 'colour', label: 'Colour' },
  { value: 'red', label: 'Red' },
  { value: 'green', label: 'Green' },
  { value: 'blue', label: 'Blue' },
  { value: 'luminance', label: 'Luminance' },
  { value: 'alpha', label: 'Alpha' },
  { value: 'stops', label: 'Stops (false colour)' },
  { value: 'gamut', label: 'Out of gamut' },
]
const BEHIND = [
  { value: 'nothing', label: 'Background: none' },
  { value: 'checker', label: 'Background: checkerboard' },
  { value: 'colour', label: 'Background: colour' },
]
const aids = computed(() => workspace.aids)
const hex = computed(
  () =>
    `#${aids.value.behind_colour.map((v) => Math.round(v * 255).toString(16).padStart(2, '0')).join('')}`, // prettier-ignore
)

function chooseBehind(event: Event) {
  const text = (event.target as HTMLInputElement).value
  const [red, green, blue] = [1, 3, 5].map((at) => parseInt(text.slice(at, at + 2), 16) / 255)
  workspace.aids = { ...aids.value, behind_colour: [red!, green!, blue!] }
}

onMounted(
  async () =>
    (legend.value = (await unwrap<{ stops: StopColour[] }>(api.GET('/api/false-colour-legend'))).stops),
)
</script>

<template>
  <aside class="aids" aria-label="Viewer settings">
    <div class="bench-head">
      <h2>Viewer settings</h2>
      <button type="button" :disabled="!workspace.aided" @click="workspace.aids = { ...NO_AIDS }">
        Reset
      </button>
      <button type="button" @click="emit('close')">Close</button>
    </div>
    <p class="quiet">These settings affect the viewer only, never an export.</p>
    <RulerScale
      label="Viewer exposure"
      :scale="STOPS"
      :value="aids.exposure"
      @moving="workspace.aids = { ...aids, exposure: $event }"
      @settled="workspace.aids = { ...aids, exposure: $event }"
    />
    <RulerScale
      label="Viewer gamma"
      :scale="GAMMA"
      :value="aids.gamma"
      @moving="workspace.aids = { ...aids, gamma: Math.max(0.1, $event) }"
      @settled="workspace.aids = { ...aids, gamma: Math.max(0.1, $event) }"
    />
    <Select
      :model-value="aids.show"
      :options="SHOWN"
      option-label="label"
      option-value="value"
      aria-label="Show"
      @update:model-value="workspace.aids = { ...aids, show: $event }"
    />
    <ol v-if="aids.show === 'stops'" class="legend" aria-label="Stops (0 = 0.18)">
      <li v-for="band in legend" :key="band.stop" :style="{ background: `rgb(${band.colour.join(',')})` }">
        <span>{{ band.stop > 0 ? '+' : band.stop < 0 ? '−' : '' }}{{ Math.abs(band.stop) }}</span>
      </li>
    </ol>
    <div class="behind">
      <Select
        :model-value="aids.behind"
        :options="BEHIND"
        option-label="label"
        option-value="value"
        aria-label="Background"
        @update:model-value="workspace.aids = { ...aids, behind: $event }"
      />
      <input
        v-if="aids.behind === 'colour'"
        type="color"
        :value="hex"
        aria-label="Background colour"
        @change="chooseBehind"
      />
    </div>
    <button
      type="button"
      :aria-pressed="aids.marks"
      title="Stripes: above the display range. Dots: below it"
      @click="workspace.aids = { ...aids, marks: !aids.marks }"
    >
      Show clipping
    </button>
  </aside>
</template>

<style scoped>
.aids {
  position: fixed;
  z-index: 6;
  right: 0;
  bottom: 24px;
  display: grid;
  gap: 8px;
  width: 356px;
  padding: 10px 16px 14px;
  background: var(--surface-2);
  border: 1px solid var(--line);
}
.behind {
  display: flex;
  gap: 4px;
}
.behind input {
  width: 44px;
  padding: 0 2px;
}
.legend {
  display: flex;
  margin: 0;
  padding: 0 0 16px;
  list-style: none;
}
.legend li {
  position: relative;
  flex: 1;
  height: 14px;
}
.legend li span {
  position: absolute;
  top: 15px;
  width: 100%;
  font-size: 10px;
  line-height: 12px;
  text-align: center;
}
</style>
