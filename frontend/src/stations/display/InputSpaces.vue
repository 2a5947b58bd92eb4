<script setup lang="ts">
import Select from 'primevue/select'
import { computed } from 'vue'
import { pointerStep } from '@/document/levels'
import { useShot } from '@/stores/shot'
import { useColourOffer } from '@/composables/useColourOffer'

/** In which space the files are read, and why; one for all, or by file. */
const shots = useShot()
const { offer } = useColourOffer()
const colour = computed(() => shots.document?.colour)
const inputs = computed(() => shots.variant?.inputs ?? [])
const reason = computed(
  () => inputs.value.find((entry) => entry.space === shots.variant?.input_space)?.reason ?? '',
)

function chooseInput(space: string) {
  void shots.edit([{ op: 'replace', path: '/colour/input_space', value: space }], `Input space ${space}`)
}

function asTold() {
  const patch = [
    { op: 'replace' as const, path: '/colour/input_space', value: null },
    { op: 'replace' as const, path: '/colour/file_spaces', value: {} },
  ]
  void shots.edit(patch, 'Input spaces reset to file metadata')
}

function chooseFor(file: string, space: string) {
  const path = `/colour/file_spaces/${pointerStep(file)}`
  void shots.edit([{ op: 'add', path, value: space }], `Input space of ${file}: ${space}`)
}

function chooseWorking(space: string) {
  void shots.edit([{ op: 'replace', path: '/colour/working_space', value: space }], `Working space ${space}`)
}
</script>

<template>
  <section v-if="offer" class="bench-part" aria-label="Spaces">
    <div class="bench-head">
      <label for="input">Input space</label>
      <button
        v-if="colour?.input_space || Object.keys(colour?.file_spaces ?? {}).length"
        type="button"
        @click="asTold"
      >
        Reset to file metadata
      </button>
    </div>
    <Select
      input-id="input"
      aria-label="Input space"
      :model-value="shots.variant?.input_space"
      :options="offer.spaces"
      @update:model-value="chooseInput"
    />
    <p class="quiet">Source: {{ reason }}. Data passes are not converted.</p>
    <details v-if="inputs.length > 1">
      <summary>Per file ({{ inputs.length }})</summary>
      <div v-for="entry in inputs" :key="entry.file" class="file">
        <span :title="entry.reason">{{ entry.file }}</span>
        <Select
          :aria-label="`Input space of ${entry.file}`"
          :model-value="entry.space"
          :options="offer.spaces"
          @update:model-value="chooseFor(entry.file, $event)"
        />
      </div>
    </details>
    <label for="working">Working space</label>
    <Select
      input-id="working"
      aria-label="Working space"
      :model-value="colour?.working_space ?? offer.working_space"
      :options="offer.scene_spaces"
      @update:model-value="chooseWorking"
    />
  </section>
</template>

<style scoped>
label,
summary {
  flex: 1;
  color: var(--text-2);
  font-size: 12px;
}
summary {
  cursor: pointer;
}
.file {
  display: grid;
  gap: 2px;
  padding: 4px 0;
}
.file span {
  overflow-wrap: anywhere;
  font-size: 12px;
}
</style>
