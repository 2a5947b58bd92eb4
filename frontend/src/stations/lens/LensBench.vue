<script setup lang="ts">
import { computed, ref } from 'vue'
import { NEUTRAL_LENS } from '@/api/defaults'
import type { Lens } from '@/api/types'
import { useShot } from '@/stores/shot'
import { usePart } from '@/composables/usePart'
import EffectPart from './EffectPart.vue'
import { EFFECTS, type EffectName } from './rows'
import { useLensTool } from './useLensTool'

/** What glass and film do, in the order in which light meets them; handles in the picture itself. */
const shots = useShot()
const open = ref<EffectName | null>(null)
const lens = computed<Lens>(() => ({ ...NEUTRAL_LENS, ...(shots.document?.lens as Lens | undefined) }))
const rows = EFFECTS.map((effect) => ({
  effect,
  part: usePart(`/lens/${effect.name}`, NEUTRAL_LENS[effect.name] as Record<string, unknown>),
}))
const partOf = (name: EffectName) => rows.find((row) => row.effect.name === name)!

useLensTool(open, lens, {
  moving: (name, change) => partOf(name).part.show({ ...change, on: true }),
  settled: (name, change) =>
    partOf(name).part.keep({ ...change, on: true }, `${partOf(name).effect.title} set in the image`), // prettier-ignore
})
</script>

<template>
  <EffectPart
    v-for="{ effect, part } in rows"
    :key="effect.name"
    :effect="effect"
    :part="part"
    :open="open === effect.name"
    @toggle="open = open === effect.name ? null : effect.name"
  />
</template>
