<script setup lang="ts">
import Select from 'primevue/select'
import { computed } from 'vue'
import { useShot } from '@/stores/shot'
import ColourWarnings from './ColourWarnings.vue'
import ConfigPanel from './ConfigPanel.vue'
import InputSpaces from './InputSpaces.vue'
import { useColourOffer } from '@/composables/useColourOffer'

const shots = useShot()
const { offer } = useColourOffer()
const display = computed(() => shots.document?.display)
const chosenDisplay = computed(() => display.value?.display ?? offer.value?.display ?? '')
const views = computed(() => offer.value?.views[chosenDisplay.value] ?? [])
const chosenView = computed(
  () =>
    display.value?.view ??
    (chosenDisplay.value === offer.value?.display ? offer.value?.view : views.value[0]) ??
    '',
)
const looks = computed(() => [
  { value: null, label: 'View default' },
  { value: '', label: 'None' },
  ...(offer.value?.looks ?? []).map((name) => ({ value: name, label: name })),
])

function choose(value: object, label: string) {
  void shots.edit([{ op: 'replace', path: '/display', value }], label)
}

function chooseDisplay(name: string) {
  choose({ display: name, view: offer.value?.views[name]?.[0] ?? null }, `Display ${name}`)
}
</script>

<template>
  <ColourWarnings />
  <section v-if="offer" class="bench-part" aria-label="Colour">
    <h2>Colour pipeline</h2>
    <ol class="chain">
      <li v-for="step in shots.variant?.chain" :key="step">{{ step }}</li>
    </ol>
    <label for="display">Display</label>
    <Select
      input-id="display"
      aria-label="Display"
      :model-value="chosenDisplay"
      :options="Object.keys(offer.views)"
      @update:model-value="chooseDisplay"
    />
    <label for="view">View</label>
    <Select
      input-id="view"
      aria-label="View"
      :model-value="chosenView"
      :options="views"
      @update:model-value="
        choose({ display: chosenDisplay, view: $event, look: display?.look ?? null }, `View ${$event}`)
      "
    />
    <template v-if="offer.looks.length">
      <label for="look">Look</label>
      <Select
        input-id="look"
        aria-label="Look"
        :model-value="display?.look ?? null"
        placeholder="View default"
        :options="looks"
        option-label="label"
        option-value="value"
        @update:model-value="
          choose({ display: chosenDisplay, view: chosenView, look: $event }, `Look ${$event || 'none'}`)
        "
      />
    </template>
    <p class="quiet">Previews use a table of 65³ colours; exact images and files use the exact transform.</p>
  </section>
  <InputSpaces />
  <ConfigPanel />
</template>

<style scoped>
.chain {
  margin: 0;
  padding: 0;
  list-style: none;
}
.chain li + li::before {
  content: '→ ';
  color: var(--text-3);
}
label {
  color: var(--text-2);
  font-size: 12px;
}
</style>
