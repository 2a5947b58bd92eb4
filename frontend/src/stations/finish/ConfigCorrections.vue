<script setup lang="ts">
import Select from 'primevue/select'
import { computed } from 'vue'
import type { Correction } from '@/api/types'
import { useEntries } from '@/stores/useEntries'
import { useColourOffer } from '@/stores/useColourOffer'

/** Looks and named transforms of the colour config, laid on working-space values at Finish. */
type ConfigPart = Extract<Correction, { kind: 'config' }>

const corrections = useEntries<Correction>('/finish/corrections')
const { offer } = useColourOffer()
const laid = computed(() => corrections.all.value.filter((c): c is ConfigPart => c.kind === 'config'))
const names = computed(() => [...(offer.value?.looks ?? []), ...(offer.value?.named_transforms ?? [])])

function add(name: string) {
  void corrections.add({ kind: 'config', name }, `${name} laid on`)
}
</script>

<template>
  <section v-if="names.length || laid.length" class="bench-part" aria-label="From the colour config">
    <h2>From the colour config</h2>
    <div v-for="correction in laid" :key="correction.id" class="bench-head">
      <span class="fill">{{ correction.name }}</span>
      <button
        type="button"
        :aria-pressed="correction.inverse === true"
        @click="
          corrections.keep(
            correction.id!,
            { inverse: !correction.inverse },
            `${correction.name} backwards or forwards`,
          )
        "
      >
        backwards
      </button>
      <button
        type="button"
        :aria-pressed="correction.on === false"
        @click="
          corrections.keep(correction.id!, { on: correction.on === false }, `${correction.name} on or off`)
        "
      >
        off
      </button>
      <button type="button" @click="corrections.drop(correction.id!, `${correction.name} taken away`)">
        take away
      </button>
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
