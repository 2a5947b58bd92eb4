<script setup lang="ts">
import { computed } from 'vue'
import { useObjects, useScope, type ScopeKind, type Within } from './useScope'

/** How often each brightness and colour occurs in the picture. */
const { kind, scale, within, picture } = useScope()
const objects = useObjects()
const KINDS: { value: ScopeKind; label: string }[] = [
  { value: 'waveform', label: 'Waveform' },
  { value: 'parade', label: 'Parade' },
  { value: 'histogram', label: 'Histogram' },
  { value: 'chromaticity', label: 'Chromaticity' },
]
const AXES = {
  stops: { low: -10, high: 8, marks: [8, 4, 0, -4, -8] },
  display: { low: -0.05, high: 1.05, marks: [1, 0.75, 0.5, 0.25, 0] },
}
// Columns and rows of the chromaticity scope run over this much of x and y.
const PLANE = { low: -0.05, high: 0.9, marks: [0, 0.2, 0.4, 0.6, 0.8] }
const axis = computed(() => AXES[scale.value])
const up = computed(() => kind.value === 'waveform' || kind.value === 'parade')
const away = (mark: number, { low, high }: { low: number; high: number }) =>
  `${((mark - low) / (high - low)) * 100}%`
const text = (mark: number) =>
  `${scale.value === 'stops' && mark > 0 && kind.value !== 'chromaticity' ? '+' : mark < 0 ? '−' : ''}${Math.abs(mark)}`
const places = computed(() => [
  { value: 'whole', label: 'Area: full image' },
  { value: 'view', label: 'Area: visible part' },
  ...objects.value.map((name) => ({ value: `object ${name}`, label: `Area: object ${name}` })),
])
const place = computed({
  get: () => (within.value.what === 'object' ? `object ${within.value.name}` : within.value.what),
  set: (chosen: string) => {
    const name = chosen.startsWith('object ') ? chosen.slice(7) : ''
    within.value = name ? { what: 'object', name } : ({ what: chosen } as Within)
  },
})
</script>

<template>
  <section class="bench-part" aria-label="Scope">
    <div class="choices">
      <select v-model="kind" aria-label="Scope">
        <option v-for="each in KINDS" :key="each.value" :value="each.value">{{ each.label }}</option>
      </select>
      <select v-if="kind !== 'chromaticity'" v-model="scale" aria-label="Scale">
        <option value="stops">Stops (0 = 0.18)</option>
        <option value="display">Display values</option>
      </select>
      <span v-else class="quiet">CIE xy, D65</span>
      <select v-model="place" aria-label="Area">
        <option v-for="each in places" :key="each.value" :value="each.value">{{ each.label }}</option>
      </select>
    </div>
    <div class="scope" :class="kind">
      <img v-if="picture" :src="picture" :alt="`${kind} of the image`" />
      <template v-if="up">
        <i v-for="mark in axis.marks" :key="mark" class="across" :style="{ bottom: away(mark, axis) }">{{
          text(mark)
        }}</i>
      </template>
      <template v-else-if="kind === 'histogram'">
        <i v-for="mark in axis.marks" :key="mark" class="upright" :style="{ left: away(mark, axis) }">{{
          text(mark)
        }}</i>
        <b
          v-for="(channel, index) in ['red', 'green', 'blue']"
          :key="channel"
          :style="{ top: `${index * 33.3}%` }"
          >{{ channel }}</b
        >
      </template>
      <template v-else>
        <i v-for="mark in PLANE.marks" :key="mark" class="upright" :style="{ left: away(mark, PLANE) }">{{
          text(mark)
        }}</i>
        <i
          v-for="mark in PLANE.marks"
          :key="`y ${mark}`"
          class="across"
          :style="{ bottom: away(mark, PLANE) }"
          >{{ text(mark) }}</i
        >
      </template>
    </div>
    <p v-if="kind === 'chromaticity'" class="quiet">
      Triangles: Rec.709 (brightest), P3, Rec.2020. Outline: spectral locus.
    </p>
  </section>
</template>

<style scoped>
.choices {
  display: grid;
  grid-template-columns: 5fr 6fr 6fr;
  gap: 4px;
  align-items: center;
  padding-bottom: 4px;
  font-size: 12px;
}
.choices select {
  min-width: 0;
  overflow: hidden;
  white-space: nowrap;
  text-overflow: ellipsis;
  padding: 2px 4px;
  border: 1px solid var(--line);
  background: var(--well);
  color: inherit;
  font: inherit;
}
.scope {
  position: relative;
  height: 112px;
  overflow: hidden;
  background: #141414;
}
.scope.chromaticity {
  height: auto;
  aspect-ratio: 1;
}
.scope img {
  display: block;
  width: 100%;
  height: 100%;
}
.scope i {
  position: absolute;
  color: #a8a8a8;
  font-size: 10px;
  font-style: normal;
  line-height: 12px;
  pointer-events: none;
}
.scope .across {
  left: 0;
  width: 100%;
  height: 12px;
  margin-bottom: -12px;
  border-top: 1px solid #45454599;
}
.scope .upright {
  bottom: 0;
  height: 100%;
  padding-left: 2px;
  border-left: 1px solid #45454599;
}
.scope b {
  position: absolute;
  right: 3px;
  color: #a8a8a8;
  font-size: 10px;
  font-weight: 400;
  line-height: 12px;
}
</style>
