<script setup lang="ts">
import Select from 'primevue/select'
import { computed } from 'vue'
import type { PassReading as Reading } from '@/api/types'
import { ROLE_WORDS, type ReadPass } from '@/document/passReading'

/** The role, light, component and portion of passes, to be corrected; `byHand`: some are set manually already. */
const props = defineProps<{ passes: ReadPass[]; byHand: boolean }>()
const emit = defineEmits<{ read: [change: Partial<Reading>, what: string]; reset: [] }>()
const ROLES = Object.entries(ROLE_WORDS).map(([value, label]) => ({ value, label }))
const PARTS: Reading['part'][] = ['total', 'direct', 'indirect', 'raw', 'colour']
const first = computed(() => props.passes[0]!)
const hasLight = computed(() => ['light_group', 'light_component'].includes(first.value.role))
const hasComponent = computed(() => ['component', 'light_component'].includes(first.value.role))

function setText(kind: 'light' | 'component', event: Event) {
  const value = (event.target as HTMLInputElement).value.trim() || null
  if (value !== first.value[kind]) emit('read', { [kind]: value }, value ?? `of no ${kind}`)
}

function setRole(role: Reading['role']) {
  const needs: Partial<Reading> = {}
  if (role.startsWith('light') && !first.value.light)
    needs.light = props.passes.length === 1 ? first.value.name : null
  if (role === 'component' || role === 'light_component') needs.part = first.value.part ?? 'total'
  if (role === 'component' && !first.value.component) needs.component = first.value.name
  emit('read', { role, ...needs }, ROLE_WORDS[role] ?? role)
}
</script>

<template>
  <div class="reading" role="group" aria-label="Role">
    <span>Role</span>
    <Select
      :model-value="first.role"
      :options="ROLES"
      option-label="label"
      option-value="value"
      aria-label="Role of the pass"
      @update:model-value="setRole"
    />
    <template v-if="hasLight">
      <label for="pass-light">Light</label>
      <input id="pass-light" :value="first.light ?? ''" @change="setText('light', $event)" />
    </template>
    <template v-if="hasComponent">
      <label for="pass-component">Component</label>
      <input id="pass-component" :value="first.component ?? ''" @change="setText('component', $event)" />
      <span>Lighting part</span>
      <Select
        :model-value="first.part ?? 'total'"
        :options="PARTS"
        aria-label="Lighting part"
        @update:model-value="emit('read', { part: $event }, $event)"
      />
    </template>
    <button v-if="byHand" type="button" class="back" @click="emit('reset')">Reset to detected</button>
  </div>
</template>

<style scoped>
.reading {
  display: grid;
  grid-template-columns: 80px 1fr;
  gap: 4px 8px;
  align-items: center;
}
.reading > span,
label {
  color: var(--text-2);
}
input {
  min-width: 0;
}
.back {
  grid-column: 2;
  justify-self: start;
}
</style>
