<script setup lang="ts">
import { computed, onScopeDispose, ref, watch } from 'vue'
import type { Repaint, Triple } from '@/api/types'
import { useValues } from '@/mattes/useValues'
import RulerScale from '@/widgets/RulerScale.vue'
import { DEGREES, factorScale, readout, SHARE } from '@/widgets/ruler'
import { usePointerTool, type ImagePoint } from '@/stores/pointerTool'
import { useShot } from '@/stores/shot'
import { useNotifications } from '@/stores/notifications'
import { colourOf, partsOf } from './colours'

/** A colour picked in the picture, and what it becomes; its texture stays. */
const props = defineProps<{ change: Repaint }>()
const emit = defineEmits<{ moving: [change: object]; settled: [change: object, label: string] }>()

const shots = useShot()
const pointerTools = usePointerTool()
const notifications = useNotifications()
const valuesAt = useValues()
const picking = ref(false)
const to = computed(() => partsOf(props.change.to as Triple))
const picked = computed(() => (props.change.from as Triple).map((v) => v.toFixed(3)).join('  '))
const passes = computed(() =>
  (shots.variant?.reading.passes ?? []).filter((p) => p.part === 'colour').map((p) => p.name),
)

/** The colour of the surface at a place: of the first colour pass that has any there. */
async function pick(at: ImagePoint) {
  try {
    for (const pass of passes.value) {
      const there = await valuesAt(pass, at)
      if (Math.max(...there.slice(0, 3)) <= 1e-4) continue
      const from = there.slice(0, 3).map((value) => Number(value.toPrecision(4)))
      emit('settled', { from, to: from }, 'picked')
      break
    }
  } catch (error) {
    notifications.show(error)
  }
  picking.value = false
}

let letGo = () => {}
watch(picking, (on) => {
  letGo()
  letGo = () => {}
  const nothing = () => {}
  const grip = { begin: nothing, move: nothing, end: nothing, words: () => '', doing: () => '' }
  if (on) letGo = pointerTools.take({ ...grip, click: (at) => void pick(at), everywhere: true })
})
onScopeDispose(() => letGo())

const ROWS = [
  { key: 'hue', label: 'New hue', scale: DEGREES, factor: 1 },
  { key: 'saturation', label: 'New saturation', scale: SHARE, factor: 100 },
  { key: 'value', label: 'New value', scale: { ...factorScale(4, 0.18) }, factor: 1 },
] as const

const changed = (key: string, value: number) => ({ to: colourOf({ ...to.value, [key]: value }) })
</script>

<template>
  <div class="bench-head">
    <button type="button" :aria-pressed="picking" @click="picking = !picking">
      {{ picking ? 'Click in the image' : 'Pick colour' }}
    </button>
    <span class="quiet">{{ picked }}</span>
  </div>
  <RulerScale
    v-for="row in ROWS"
    :key="row.key"
    :label="row.label"
    :scale="row.scale"
    :value="to[row.key] * row.factor"
    @moving="emit('moving', changed(row.key, $event / row.factor))"
    @settled="
      emit(
        'settled',
        changed(row.key, $event / row.factor),
        `${row.label.toLowerCase()} ${readout(row.scale, $event)}`,
      )
    "
  />
  <RulerScale
    label="Amount"
    :scale="{ ...SHARE, neutral: 100 }"
    :value="(change.amount ?? 1) * 100"
    @moving="emit('moving', { amount: $event / 100 })"
    @settled="emit('settled', { amount: $event / 100 }, `amount ${Math.round($event)}%`)"
  />
</template>
