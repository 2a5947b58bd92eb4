<script setup lang="ts">
import { computed } from 'vue'
import { NEUTRAL_RECOLOUR } from '@/api/defaults'
import type { SurfaceChange } from '@/api/types'
import PinPanel from '@/stations/looking/PinPanel.vue'
import ScopePanel from '@/stations/looking/ScopePanel.vue'
import { spoken } from '@/stores/levels'
import { useShelf } from '@/stores/shelf'
import { useShot } from '@/stores/shot'
import { useEntries } from '@/stores/useEntries'
import ChangePart from './ChangePart.vue'

/** Surfaces changed before light multiplies them: shading, highlights and reflections stay right. */
const shots = useShot()
const shelf = useShelf()
const changes = useEntries<SurfaceChange>('/surface/changes')
const coloured = computed(() =>
  (shots.variant?.reading.passes ?? []).filter((p) => p.part === 'colour').map((p) => p.component ?? ''),
)
const hasUv = computed(() => (shots.variant?.reading.passes ?? []).some((p) => p.role === 'uv'))
const GREY = [0.18, 0.18, 0.18]

/** The shelf opens with it: the next thing to say is where. */
async function add(value: object, label: string, words: string) {
  const made = await changes.add(value, label)
  if (made?.id) shelf.show(changes.limitable(made.id, words))
}

const turn = () => add({ ...NEUTRAL_RECOLOUR }, 'A colour to turn', 'the turned colour')
const repaint = () => add({ kind: 'repaint', from: GREY, to: GREY }, 'A colour to repaint', 'the repainted colour') // prettier-ignore
const label = () => add({ kind: 'label', pictures: [] }, 'A label to lay', 'the label')
</script>

<template>
  <section v-if="!coloured.length" class="bench-part" aria-label="Surface">
    <h2>Surface</h2>
    <p class="quiet">
      No pass of this render holds the colour of a component, so surfaces cannot be told from the light on
      them. If one is named unusually, give it its role at Source.
    </p>
  </section>
  <template v-else>
    <section class="bench-part" aria-label="Change a surface">
      <div class="bench-head">
        <button type="button" @click="turn">turn a colour</button>
        <button type="button" @click="repaint">repaint one</button>
        <button
          type="button"
          :disabled="!hasUv"
          :title="hasUv ? 'A picture on the surface, by its uv' : 'This render has no uv pass'"
          @click="label"
        >
          lay a label
        </button>
      </div>
      <p class="quiet">
        Colour passes of {{ coloured.map(spoken).join(', ').toLowerCase() }} are changed before light
        multiplies them. Where a renderer gives no light by itself, the lit pass is divided by its colour.
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
  <PinPanel />
  <ScopePanel />
</template>
