<script setup lang="ts">
import { computed } from 'vue'
import { useMattes } from '@/stores/mattes'
import { useShot } from '@/stores/shot'

/** A matte from a pass: as it masks, or by the numbers in it. */
const mattes = useMattes()
const shots = useShot()
const DATA = new Set(['mask', 'alpha', 'shadow', 'occlusion', 'variance', 'other'])
const passes = computed(() => shots.variant?.reading.passes ?? [])
const masks = computed(() => passes.value.filter((p) => DATA.has(p.role)))
const ids = computed(() => passes.value.filter((p) => p.role === 'id'))

function mask(pass: string) {
  const name = mattes.freeName(pass)
  void mattes.keep(name, { kind: 'channel', pass }, `${name}, a pass`)
}

function numbered(pass: string) {
  const name = mattes.freeName(pass)
  void mattes.keep(name, { kind: 'id', pass, values: [] }, `Matte ${name}: IDs from ${pass}`)
}
</script>

<template>
  <section class="bench-part" aria-label="Pass or ID">
    <p v-if="!masks.length && !ids.length" class="quiet">No mask or ID passes in this render.</p>
    <div v-if="masks.length" class="passes">
      <button v-for="pass in masks" :key="pass.name" type="button" @click="mask(pass.name)">
        Use {{ pass.name }} as matte
      </button>
    </div>
    <div v-if="ids.length" class="passes">
      <button v-for="pass in ids" :key="pass.name" type="button" @click="numbered(pass.name)">
        Pick IDs from {{ pass.name }}
      </button>
    </div>
  </section>
</template>

<style scoped>
.passes {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
}
</style>
