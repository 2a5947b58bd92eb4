<script setup lang="ts">
import { computed } from 'vue'
import type { Layer, Triple } from '@/api/types'
import RulerScale from '@/widgets/RulerScale.vue'
import TripleRuler from '@/widgets/TripleRuler.vue'
import { factorScale, readout } from '@/widgets/ruler'
import { GROW, SOFTEN } from './rows'
import { CG, usePlate } from './usePlate'

/** The edges of a rendered layer, and the backing that it was rendered on. */
const props = defineProps<{ id: string; layer: Layer | null }>()
const plate = usePlate()
interface Rendered {
  edges?: { grow_px?: number; soften_px?: number }
  clean_colour?: Triple | null
}
const now = computed(() => (props.layer ?? CG) as Rendered)
const edges = computed(() => ({ grow_px: 0, soften_px: 0, ...now.value.edges }))
const backing = computed(() => now.value.clean_colour ?? null)
const LIGHT = factorScale(64, 0)

const shaped = (change: object) => ({ edges: { ...edges.value, ...change } })
const keep = (change: object, label: string) => plate.keep(props.id, change, label)
</script>

<template>
  <section class="bench-part" aria-label="Edges">
    <h2>Edges</h2>
    <RulerScale
      label="Grow"
      :scale="GROW"
      :value="edges.grow_px"
      note="below 0 shrinks"
      @moving="plate.show(id, shaped({ grow_px: $event }))"
      @settled="keep(shaped({ grow_px: $event }), `edges grow ${readout(GROW, $event)} px`)"
    />
    <RulerScale
      label="Soften"
      :scale="SOFTEN"
      :value="edges.soften_px"
      @moving="plate.show(id, shaped({ soften_px: $event }))"
      @settled="keep(shaped({ soften_px: $event }), `edges soften ${readout(SOFTEN, $event)} px`)"
    />
    <div class="bench-head">
      <button
        type="button"
        :aria-pressed="backing !== null"
        title="The colour that it was rendered on, taken out of half-covered pixels"
        @click="
          keep({ clean_colour: backing ? null : [0, 0, 0] }, backing ? 'backing kept' : 'backing removed')
        "
      >
        Remove backing colour
      </button>
    </div>
    <TripleRuler
      v-if="backing"
      label="Backing colour"
      :value="backing"
      :scale="LIGHT"
      keeps="distance"
      @moving="plate.show(id, { clean_colour: $event })"
      @settled="keep({ clean_colour: $event }, 'backing colour')"
    />
  </section>
</template>
