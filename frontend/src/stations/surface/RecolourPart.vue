<script setup lang="ts">
import type { Recolour } from '@/api/types'
import RulerScale from '@/widgets/RulerScale.vue'
import { factorScale, readout, TURN, type RulerScale as Scale } from '@/widgets/ruler'

/** Hue turned, saturation and value multiplied. */
defineProps<{ change: Recolour }>()
const emit = defineEmits<{ moving: [change: object]; settled: [change: object, label: string] }>()

const ROWS: { key: 'hue' | 'saturation' | 'value'; label: string; scale: Scale }[] = [
  { key: 'hue', label: 'Hue', scale: TURN },
  { key: 'saturation', label: 'Saturation', scale: factorScale(4, 1) },
  { key: 'value', label: 'Value', scale: factorScale(4, 1) },
]

function settle(row: (typeof ROWS)[number], value: number) {
  emit('settled', { [row.key]: value }, `${row.label.toLowerCase()} ${readout(row.scale, value)}`)
}
</script>

<template>
  <RulerScale
    v-for="row in ROWS"
    :key="row.key"
    :label="row.label"
    :scale="row.scale"
    :value="change[row.key]"
    @moving="emit('moving', { [row.key]: $event })"
    @settled="settle(row, $event)"
  />
</template>
