<script setup lang="ts">
import Select from 'primevue/select'
import { computed } from 'vue'
import type { TallyTerm } from '@/api/types'
import RulerScale from '@/parts/RulerScale.vue'
import { factorScale } from '@/parts/ruler'
import { useTermEdits } from './useTermEdits'

const props = defineProps<{ line: TallyTerm; names: string[] }>()
const terms = useTermEdits()
const edit = computed(() => terms.editOf(props.line.name))
const OPERATORS = [
  { value: 'add', label: 'add' },
  { value: 'subtract', label: 'subtract' },
  { value: 'multiply', label: 'multiply' },
  { value: 'screen', label: 'screen' },
  { value: 'over', label: 'lay over' },
]
const STRENGTH = factorScale(4, 1)
</script>

<template>
  <div class="controls" role="group" :aria-label="`Term ${line.name}`">
    <div class="row">
      <button
        type="button"
        :aria-pressed="!edit.on"
        @click="terms.keep(line.name, { on: !edit.on }, edit.on ? 'off' : 'on')"
      >
        off
      </button>
      <button
        type="button"
        :aria-pressed="edit.alone"
        @click="terms.keep(line.name, { alone: !edit.alone }, 'alone')"
      >
        alone
      </button>
      <button type="button" aria-label="Move up" @click="terms.move(names, line.name, -1)">up</button>
      <button type="button" aria-label="Move down" @click="terms.move(names, line.name, 1)">down</button>
      <button
        type="button"
        title="Take it out of the recipe: the residual takes its light, the picture stays"
        @click="terms.keep(line.name, { left_out: true }, 'left out')"
      >
        leave out
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
      <span>put on the sum by</span>
      <Select
        :model-value="edit.operator ?? line.operator"
        :options="OPERATORS"
        option-label="label"
        option-value="value"
        aria-label="Operator"
        @update:model-value="terms.keep(line.name, { operator: $event }, `put on by ${$event}`)"
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
