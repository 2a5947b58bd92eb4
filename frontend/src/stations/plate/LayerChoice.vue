<script setup lang="ts">
import type { Choice } from './rows'

/** One of few words for a field of a layer. */
const props = defineProps<{ choice: Choice; value: string | null }>()
const emit = defineEmits<{ chosen: [change: object, label: string] }>()

function choose(event: Event) {
  const option = props.choice.options[(event.target as HTMLSelectElement).selectedIndex]!
  emit(
    'chosen',
    { [props.choice.field]: option.value },
    `${props.choice.label.toLowerCase()} ${option.words}`,
  )
}
</script>

<template>
  <label class="row">
    <span>{{ choice.label }}</span>
    <select :aria-label="choice.label" @change="choose">
      <option
        v-for="option in choice.options"
        :key="option.value ?? ''"
        :selected="option.value === value"
        :value="option.value ?? ''"
      >
        {{ option.words }}
      </option>
    </select>
  </label>
</template>

<style scoped>
.row {
  display: grid;
  grid-template-columns: 104px minmax(0, 1fr);
  gap: 8px;
  align-items: center;
  min-height: 28px;
  color: var(--text-2);
}
select {
  padding: 2px 6px;
  border: 1px solid var(--line);
  background: var(--well);
  color: var(--text-1);
  font: inherit;
}
</style>
