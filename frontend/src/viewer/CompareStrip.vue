<script setup lang="ts">
import { computed } from 'vue'
import { COMPARISONS, useHolds, type Comparison } from '@/stores/holds'

/** What is held, and how it is compared with the present picture. */
const holds = useHolds()
const WORDS: Record<Comparison, string> = {
  now: 'Current',
  held: 'Held',
  wipe: 'Wipe',
  split: 'Split',
  side: 'Side by side',
  difference: 'Difference',
}
const GAINS = [1, 4, 16, 64, 256, 1024]
const together = computed(() => holds.mode === 'split' || holds.mode === 'side')
const taking = (key: string) =>
  together.value ? holds.shown.some((hold) => hold.key === key) : holds.comparing && holds.first?.key === key

/** Together, each takes part or not; else one alone is compared with. */
function choose(key: string) {
  if (together.value) return holds.toggle(key)
  const chosen = holds.holds.find((hold) => hold.key === key)!
  holds.holds = [{ ...chosen, shown: true }, ...holds.holds.filter((hold) => hold.key !== key)]
  if (holds.mode === 'now') holds.mode = 'held'
}

function lean(event: Event) {
  const angle = Number((event.target as HTMLInputElement).value)
  if (Number.isFinite(angle)) holds.wipe = { ...holds.wipe, angle: Math.max(-90, Math.min(90, angle)) }
}
</script>

<template>
  <div class="strip" role="group" aria-label="Compare">
    <ul aria-label="Held">
      <li v-for="hold in holds.holds" :key="hold.key">
        <button type="button" :aria-pressed="taking(hold.key)" :title="hold.name" @click="choose(hold.key)">
          {{ hold.name }}
        </button>
        <button type="button" class="drop" :aria-label="`Remove ${hold.name}`" @click="holds.drop(hold.key)">
          ×
        </button>
      </li>
    </ul>
    <div class="modes" role="group" aria-label="Compare mode">
      <button
        v-for="mode in COMPARISONS"
        :key="mode"
        type="button"
        :aria-pressed="holds.mode === mode"
        @click="holds.mode = mode"
      >
        {{ WORDS[mode] }}
      </button>
    </div>
    <label v-if="holds.mode === 'wipe'"
      >Angle
      <input type="number" min="-90" max="90" step="5" :value="holds.wipe.angle" @change="lean" />°</label
    >
    <template v-if="holds.mode === 'difference'">
      <select v-model="holds.measure" aria-label="Difference of">
        <option value="display">Display values</option>
        <option value="linear">Scene-linear</option>
      </select>
      <label
        >Gain
        <select v-model.number="holds.gain" aria-label="Difference gain">
          <option v-for="gain in GAINS" :key="gain" :value="gain">{{ gain }}</option>
        </select></label
      >
    </template>
  </div>
</template>

<style scoped>
.strip {
  display: flex;
  align-items: center;
  gap: 14px;
  min-height: 28px;
  padding: 0 14px;
  background: var(--surface-2);
  border-top: 1px solid var(--line);
  font-size: 12px;
  white-space: nowrap;
}
ul {
  display: flex;
  flex: 1;
  gap: 6px;
  min-width: 0;
  margin: 0;
  padding: 0;
  overflow: hidden;
  list-style: none;
}
li {
  display: flex;
  min-width: 44px;
}
li button:first-child {
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
}
button {
  padding: 0 8px;
}
.drop {
  padding: 0 5px;
  border-left: 0;
  color: var(--text-3);
}
.modes {
  display: flex;
}
.modes button + button {
  border-left: 0;
}
input {
  width: 46px;
  padding: 0 4px;
}
select {
  border: 1px solid var(--line);
  background: var(--well);
  color: inherit;
  font: inherit;
}
</style>
