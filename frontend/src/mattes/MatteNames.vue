<script setup lang="ts">
import { percent } from '@/format'
import { computed, ref } from 'vue'
import type { Matte } from '@/api/types'
import { useMattes } from '@/stores/mattes'
import { useObjectPicker } from './useObjectPicker'
import { useSelectedNames } from './useSelectedNames'

/** The names of a matte of objects: those in it, and typing narrows those that the render has. */
const props = defineProps<{ matte: Extract<Matte, { kind: 'object' }> | null }>()
const mattes = useMattes()
const { layers, layersState } = useObjectPicker()
const { takeNames } = useSelectedNames()
const typed = ref('')
const MOST = 24
const taken = computed(() => props.matte?.names ?? [])
const shown = computed(() => layers.value.filter((one) => !mattes.layer || one.name === mattes.layer))
const matching = computed(() => {
  const pattern = typed.value.trim()
  const all = [...new Set(shown.value.flatMap((layer) => layer.names))]
  if (!pattern) return all
  const signs = pattern.replace(/[.+^${}()|[\]\\]/g, '\\$&').replaceAll('*', '.*').replaceAll('?', '.') // prettier-ignore
  const wanted = new RegExp(signs, 'i')
  return all.filter((name) => wanted.test(name))
})
const isPattern = computed(() => /[*?]/.test(typed.value))
const missing = computed(() => Math.max(0, ...shown.value.map((layer) => layer.missing)))

/** What is typed as a pattern or a whole name, else the first that matches. */
function enter() {
  const wanted = typed.value.trim()
  const whole = isPattern.value || matching.value.includes(wanted)
  if (wanted) take(whole ? wanted : (matching.value[0] ?? wanted))
}

function take(name: string) {
  void takeNames([name], true)
  if (name === typed.value.trim()) typed.value = ''
}
</script>

<template>
  <div class="names">
    <div v-if="taken.length" class="taken">
      <button v-for="name in taken" :key="name" type="button" :title="`Remove ${name}`" @click="take(name)">
        {{ name }} ×
      </button>
    </div>
    <select v-if="layers.length > 1" v-model="mattes.layer" aria-label="Names layer">
      <option :value="null">All layers</option>
      <option v-for="layer in layers" :key="layer.name" :value="layer.name">{{ layer.name }}</option>
    </select>
    <input
      v-model="typed"
      type="text"
      aria-label="Names"
      :placeholder="`Filter ${matching.length} names, * matches any`"
      @keydown.enter="enter"
    />
    <div class="known">
      <button v-if="isPattern" type="button" @click="take(typed.trim())">
        Add all matching {{ typed.trim() }}
      </button>
      <button
        v-for="name in typed.trim() ? matching.slice(0, MOST) : []"
        :key="name"
        type="button"
        :aria-pressed="taken.includes(name)"
        @click="take(name)"
      >
        {{ name }}
      </button>
      <span v-if="typed.trim() && matching.length > MOST" class="quiet"
        >{{ matching.length - MOST }} more: type to filter</span
      >
    </div>
    <p v-if="layersState === 'loading'" class="quiet">Loading…</p>
    <p v-else-if="layersState === 'error'" class="warning">The object names could not be read.</p>
    <p v-else-if="!layers.length" class="quiet">
      No objects: this render has no cryptomatte. Use another kind of matte or an ID pass.
    </p>
    <p v-else-if="missing >= 0.0005" class="quiet">
      {{ percent(missing) }} of the coverage is missing: the file stores too few Cryptomatte ranks.
    </p>
  </div>
</template>

<style scoped>
.names {
  display: grid;
  gap: 6px;
}
.taken,
.known {
  display: flex;
  flex-wrap: wrap;
  gap: 3px;
}
.taken button {
  border-color: var(--accent);
}
input,
select {
  padding: 3px 6px;
  border: 1px solid var(--line);
  background: var(--well);
  color: inherit;
  font: inherit;
}
</style>
