<script setup lang="ts">
import { computed } from 'vue'
import { NEUTRAL_RECOLOUR } from '@/api/defaults'
import type { SurfaceChange } from '@/api/types'
import { useMattes } from '@/stores/mattes'
import { useShot } from '@/stores/shot'
import { useEntries, type Entry } from '@/composables/useEntries'
import ChangePart from './ChangePart.vue'

/** Surfaces changed before light multiplies them: shading, highlights and reflections stay right. */
const shots = useShot()
const mattes = useMattes()
const changes = useEntries<SurfaceChange>('/surface/changes')
const coloured = computed(() =>
  (shots.variant?.reading.passes ?? []).filter((p) => p.part === 'colour').map((p) => p.component ?? ''),
)
const hasUv = computed(() => (shots.variant?.reading.passes ?? []).some((p) => p.role === 'uv'))
const GREY = [0.18, 0.18, 0.18]

/** The mattes open with it: the next choice is where it acts. */
function add<New extends Entry>(change: New, label: string, words: string) {
  const [id] = changes.add([change], label)
  mattes.show(changes.matteTarget(id!, words))
}

const recolour = () => add({ ...NEUTRAL_RECOLOUR }, 'Recolour added', 'the recolour')
const replaceColour = () =>
  add({ kind: 'repaint', from: GREY, to: GREY }, 'Replace colour added', 'the replaced colour')
const label = () => add({ kind: 'label', pictures: [] }, 'Label added', 'the label')
</script>

<template>
  <section v-if="!coloured.length" class="bench-part" aria-label="Surface">
    <h2>Surface</h2>
    <p class="quiet">
      No albedo pass, so surface colour cannot be separated from light. If one has an unusual name, set its
      role at Source.
    </p>
  </section>
  <template v-else>
    <section class="bench-part" aria-label="Change a surface">
      <div class="bench-head">
        <button type="button" @click="recolour">Recolour</button>
        <button type="button" @click="replaceColour">Replace colour</button>
        <button
          type="button"
          :disabled="!hasUv"
          :title="hasUv ? 'An image on the surface, placed by UV' : 'No UV pass in this render'"
          @click="label"
        >
          Add label
        </button>
      </div>
      <p class="quiet">
        Albedo of {{ coloured.join(', ') }} is changed before lighting multiplies it. Without separate
        lighting passes, the lit pass is divided by its albedo.
      </p>
    </section>
    <ChangePart
      v-for="change in changes.all.value"
      :key="change.id"
      :change="change"
      :changes="changes"
      :components="coloured"
    />
  </template>
</template>
