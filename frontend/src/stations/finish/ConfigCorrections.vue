<script setup lang="ts">
import Select from 'primevue/select'
import { computed } from 'vue'
import type { Variant } from '@/api/types'
import { useShot } from '@/stores/shot'
import { useColourOffer } from '@/stations/display/useColourOffer'

/** Looks and named transforms of the colour config, laid on working-space values at Finish. */
type Correction = NonNullable<NonNullable<Variant['finish']>['corrections']>[number]
type ConfigPart = Extract<Correction, { kind: 'config' }>

const shots = useShot()
const { offer } = useColourOffer()
const all = computed<Correction[]>(() => shots.document?.finish?.corrections ?? [])
const laid = computed(() =>
  all.value.flatMap((correction, index) => (correction.kind === 'config' ? [{ correction, index }] : [])),
)
const names = computed(() => [...(offer.value?.looks ?? []), ...(offer.value?.named_transforms ?? [])])

function add(name: string) {
  const value = { kind: 'config', name }
  void shots.edit([{ op: 'add', path: '/finish/corrections/-', value }], `${name} laid on`)
}

function change(index: number, change: Partial<ConfigPart>, label: string) {
  const value = { ...all.value[index], ...change }
  void shots.edit([{ op: 'replace', path: `/finish/corrections/${index}`, value }], label)
}

function drop(index: number, name: string) {
  void shots.edit([{ op: 'remove', path: `/finish/corrections/${index}` }], `${name} taken away`)
}
</script>

<template>
  <section v-if="names.length || laid.length" class="bench-part" aria-label="From the colour config">
    <h2>From the colour config</h2>
    <div v-for="{ correction, index } in laid" :key="index" class="bench-head">
      <span class="fill">{{ correction.name }}</span>
      <button
        type="button"
        :aria-pressed="correction.inverse === true"
        @click="change(index, { inverse: !correction.inverse }, `${correction.name} backwards or forwards`)"
      >
        backwards
      </button>
      <button
        type="button"
        :aria-pressed="correction.on === false"
        @click="change(index, { on: correction.on === false }, `${correction.name} on or off`)"
      >
        off
      </button>
      <button type="button" @click="drop(index, correction.name)">take away</button>
    </div>
    <Select
      v-if="names.length"
      :model-value="null"
      :options="names"
      placeholder="lay on a look or named transform"
      aria-label="Lay on a look or named transform"
      @update:model-value="add"
    />
  </section>
</template>

<style scoped>
.fill {
  flex: 1;
  min-width: 0;
  overflow-wrap: anywhere;
}
</style>
