<script setup lang="ts">
import Select from 'primevue/select'
import { computed } from 'vue'
import type { PassReading as Reading, RenderPass } from '@/api/types'
import { useShot } from '@/stores/shot'
import { ROLE_WORDS } from './meaning'
import { useSourceEdits } from './useSourceEdits'

/** The role, light, component and portion of the chosen passes, to be corrected. */
const props = defineProps<{ passes: RenderPass[] }>()
const shots = useShot()
const edits = useSourceEdits()
const ROLES = Object.entries(ROLE_WORDS).map(([value, label]) => ({ value, label }))
const PARTS = ['total', 'direct', 'indirect', 'raw', 'colour']
const first = computed(() => props.passes[0]!)
const byHand = computed(() => props.passes.some((p) => p.name in (shots.document?.source?.roles ?? {})))
const hasLight = computed(() => ['light_group', 'light_component'].includes(first.value.role))
const hasComponent = computed(() => ['component', 'light_component'].includes(first.value.role))

function setText(kind: 'light' | 'component', event: Event) {
  const value = (event.target as HTMLInputElement).value.trim() || null
  if (value !== first.value[kind]) edits.readAs(props.passes, { [kind]: value }, value ?? `of no ${kind}`)
}

function setRole(role: RenderPass['role']) {
  const needs: Partial<Reading> = {}
  if (role.startsWith('light') && !first.value.light)
    needs.light = props.passes.length === 1 ? first.value.name : null
  if (role === 'component' || role === 'light_component') needs.part = first.value.part ?? 'total'
  if (role === 'component' && !first.value.component) needs.component = first.value.name
  edits.readAs(props.passes, { role, ...needs }, ROLE_WORDS[role] ?? role)
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
        @update:model-value="edits.readAs(passes, { part: $event }, $event)"
      />
    </template>
    <button v-if="byHand" type="button" class="back" @click="edits.asRecognised(passes)">
      Reset to detected
    </button>
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
