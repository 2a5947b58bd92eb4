<script setup lang="ts">
import { displayName } from '@/format'
import { computed, type Component } from 'vue'
import type { SurfaceChange } from '@/api/types'
import OnSwitch from '@/widgets/OnSwitch.vue'
import MatteButton from '@/mattes/MatteButton.vue'
import type { useEntries } from '@/composables/useEntries'
import LabelPart from './LabelPart.vue'
import RecolourPart from './RecolourPart.vue'
import RepaintPart from './RepaintPart.vue'

/** One change of a surface: what it is, where it counts, and the rulers of its kind. */
const props = defineProps<{
  change: SurfaceChange
  changes: ReturnType<typeof useEntries<SurfaceChange>>
  components: string[]
}>()
const PARTS: Record<SurfaceChange['kind'], { words: string; part: Component }> = {
  recolour: { words: 'Recolour', part: RecolourPart },
  repaint: { words: 'Replace colour', part: RepaintPart },
  label: { words: 'Label', part: LabelPart },
}
const id = computed(() => props.change.id ?? '')
const kind = computed(() => PARTS[props.change.kind])
const name = computed(() => props.change.matte ?? 'whole image')

const keep = (change: object, label: string) => props.changes.keep(id.value, change, label)

function settled(change: object, label: string) {
  keep(change, `${kind.value.words} ${name.value}: ${label}`)
}
</script>

<template>
  <section class="bench-part" :class="{ off: change.on === false }" :aria-label="`${kind.words} ${name}`">
    <div class="bench-head">
      <h2>{{ kind.words }}</h2>
      <OnSwitch
        :name="`${kind.words} ${name}`"
        :on="change.on !== false"
        @change="keep({ on: $event }, `${kind.words} ${name}: ${$event ? 'on' : 'off'}`)"
      />
      <button type="button" @click="changes.drop(id, `${kind.words} ${name} removed`)">Remove</button>
    </div>
    <div class="bench-head">
      <MatteButton :what="changes.matteTarget(id, `the ${kind.words.toLowerCase()}`)" />
      <select
        v-if="components.length > 1"
        :value="change.component ?? ''"
        aria-label="Component"
        @change="
          keep(
            { component: ($event.target as HTMLSelectElement).value || null },
            `component ${($event.target as HTMLSelectElement).value || 'all'}`,
          )
        "
      >
        <option value="">All components</option>
        <option v-for="one in components" :key="one" :value="one">{{ displayName(one) }}</option>
      </select>
    </div>
    <component :is="kind.part" :change="change" @moving="changes.show(id, $event)" @settled="settled" />
  </section>
</template>

<style scoped>
.off {
  color: var(--text-3);
}
select {
  padding: 3px 6px;
  border: 1px solid var(--line);
  background: var(--well);
  color: inherit;
  font: inherit;
}
</style>
