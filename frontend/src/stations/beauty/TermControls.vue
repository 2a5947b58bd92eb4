<script setup lang="ts">
import Select from 'primevue/select'
import { computed } from 'vue'
import type { TallyTerm } from '@/api/types'
import RulerScale from '@/widgets/RulerScale.vue'
import { factorScale } from '@/widgets/ruler'
import { useTermEdits } from './useTermEdits'

const props = defineProps<{ line: TallyTerm; names: string[] }>()
const terms = useTermEdits()
const edit = computed(() => terms.editOf(props.line.name))
const OPERATORS = [
  { value: 'add', label: 'Add' },
  { value: 'subtract', label: 'Subtract' },
  { value: 'multiply', label: 'Multiply' },
  { value: 'screen', label: 'Screen' },
  { value: 'over', label: 'Over' },
]
const STRENGTH = factorScale(4, 1)
</script>

<template>
  <div class="controls" role="group" :aria-label="`Term ${line.name}`">
    <div class="row">
      <button
        type="button"
        :aria-pressed="!edit.on"
        @click="terms.keep(line.name, { on: !edit.on }, `mute ${edit.on ? 'on' : 'off'}`)"
      >
        Mute
      </button>
      <button
        type="button"
        :aria-pressed="edit.alone"
        @click="terms.keep(line.name, { alone: !edit.alone }, `solo ${edit.alone ? 'off' : 'on'}`)"
      >
        Solo
      </button>
      <button type="button" aria-label="Move up" @click="terms.move(names, line.name, -1)">Move up</button>
      <button type="button" aria-label="Move down" @click="terms.move(names, line.name, 1)">Move down</button>
      <button
        type="button"
        title="Exclude from the recipe: the residual takes its light, the image stays the same"
        @click="terms.keep(line.name, { left_out: true }, 'excluded')"
      >
        Exclude
      </button>
    </div>
    <RulerScale
      label="Strength"
      :scale="STRENGTH"
      :value="edit.strength"
      @moving="terms.show(line.name, { strength: $event })"
      @settled="terms.keep(line.name, { strength: $event }, 'strength')"
    />
    <label class="operator">
      <span>Operator</span>
      <Select
        :model-value="edit.operator ?? line.operator"
        :options="OPERATORS"
        option-label="label"
        option-value="value"
        aria-label="Operator"
        @update:model-value="terms.keep(line.name, { operator: $event }, `operator ${$event}`)"
      />
    </label>
  </div>
</template>

<style scoped>
.controls {
  display: grid;
  gap: 6px;
  padding: 2px 0 10px 22px;
}
.row {
  display: flex;
  gap: 4px;
}
.row button {
  padding: 1px 8px;
}
.operator {
  display: flex;
  gap: 8px;
  align-items: center;
  justify-content: space-between;
  color: var(--text-2);
  font-size: 12px;
}
</style>
