<script setup lang="ts">
import Select from 'primevue/select'
import { computed, shallowRef, watch } from 'vue'
import { api, told } from '@/api/client'
import type { ColourOffer } from '@/api/types'
import { useShot } from '@/stores/shot'
import { useTroubles } from '@/stores/troubles'

const shots = useShot()
const troubles = useTroubles()
const offer = shallowRef<ColourOffer | null>(null)
const colour = computed(() => shots.document?.colour)
const display = computed(() => shots.document?.display)

watch(
  () => colour.value?.config ?? 'ACES 2',
  async (config) => {
    try {
      offer.value = await told<ColourOffer>(api.GET('/api/colour', { params: { query: { config } } }))
    } catch (error) {
      troubles.tell(error)
    }
  },
  { immediate: true },
)

const chosenDisplay = computed(() => display.value?.display ?? offer.value?.display ?? '')
const views = computed(() => offer.value?.views[chosenDisplay.value] ?? [])
const chosenView = computed(
  () =>
    display.value?.view ??
    (chosenDisplay.value === offer.value?.display ? offer.value?.view : views.value[0]) ??
    '',
)

function choose(path: string, value: unknown, label: string) {
  void shots.edit([{ op: 'replace', path, value }], label)
}

function chooseConfig(config: string) {
  void shots.edit(
    [
      { op: 'replace', path: '/colour', value: { config } },
      { op: 'replace', path: '/display', value: {} },
    ],
    `Colour by ${config}`,
  )
}

function chooseDisplay(name: string) {
  choose('/display', { display: name, view: offer.value?.views[name]?.[0] ?? null }, `Display ${name}`)
}
</script>

<template>
  <section
    v-if="shots.variant?.colour_warnings.length"
    class="bench-part"
    aria-label="Colour warnings"
    role="status"
  >
    <p v-for="warning in shots.variant.colour_warnings" :key="warning" class="warning">{{ warning }}</p>
  </section>
  <section v-if="offer" class="bench-part" aria-label="Colour">
    <h2>From file to screen</h2>
    <ol class="chain">
      <li v-for="step in shots.variant?.chain" :key="step">{{ step }}</li>
    </ol>
    <p class="quiet">
      Input space: {{ shots.shot?.render.input_space_reason }}. Data passes are left as they are.
    </p>
    <label for="config">Colour config</label>
    <Select
      input-id="config"
      :model-value="colour?.config ?? 'ACES 2'"
      :options="offer.configs"
      @update:model-value="chooseConfig"
    />
    <label for="input">Input space</label>
    <Select
      input-id="input"
      :model-value="colour?.input_space ?? shots.shot?.render.input_space"
      :options="offer.spaces"
      @update:model-value="choose('/colour/input_space', $event, `Input space ${$event}`)"
    />
    <label for="working">Working space</label>
    <Select
      input-id="working"
      :model-value="colour?.working_space ?? offer.working_space"
      :options="offer.spaces"
      @update:model-value="choose('/colour/working_space', $event, `Working space ${$event}`)"
    />
    <label for="display">Display</label>
    <Select
      input-id="display"
      :model-value="chosenDisplay"
      :options="Object.keys(offer.views)"
      @update:model-value="chooseDisplay"
    />
    <label for="view">View</label>
    <Select
      input-id="view"
      :model-value="chosenView"
      :options="views"
      @update:model-value="choose('/display', { display: chosenDisplay, view: $event }, `View ${$event}`)"
    />
    <p class="quiet">
      While something moves, the view is a table of 65³ colours; at rest and in every file it is the exact
      transform.
    </p>
  </section>
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
