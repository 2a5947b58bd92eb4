<script setup lang="ts">
import { useHints } from '@/stores/hints'

const hints = useHints()
const emit = defineEmits<{ close: [] }>()
const KEYS = [
  ['Ctrl Z', 'undo'],
  ['Ctrl Shift Z', 'redo'],
  ['1 to 9', 'the stations of the path'],
  ['T', 'take the picture at this station, or at the end of the path'],
  ['B', 'fold or open the bench'],
  ['L', 'fold or open what lies below the picture'],
  ['M', 'the shelf of mattes'],
  ['H', 'the history of this variant'],
  ['F', 'the picture alone, on the whole screen'],
  ['K', 'hold this state, for comparing'],
  ['J', 'show what is held, or the present picture'],
  ['W', 'wipe between them; drag the line, with Shift it leans'],
  ['S', 'side by side'],
  ['D', 'their difference'],
  ['arrows on a ruler', 'one graduation; with Shift a tenth'],
  ['Home on a ruler', 'neutral'],
  ['drag at Balance', 'the light at the pin: up and down its level, sideways its warmth; Shift goes finer'],
  ['arrows on the board', 'a third of a stop'],
  ['click on the picture', 'the pin; with Shift one more'],
  ['arrows on the picture', 'move the pin; with Shift by ten pixels'],
  ['Enter on the picture', 'with the shelf open: take what lies at the pin'],
  ['Delete on the picture', 'take the pin away'],
  ['Escape', 'close what lies over the work; at Source back to all passes'],
  ['?', 'this list'],
]
</script>

<template>
  <aside class="keys" aria-label="Keys">
    <div class="bench-head">
      <h2>Keys</h2>
      <button type="button" @click="hints.again()">show the hints again</button>
      <button type="button" @click="emit('close')">close</button>
    </div>
    <dl>
      <template v-for="[key, what] in KEYS" :key="key">
        <dt>{{ key }}</dt>
        <dd>{{ what }}</dd>
      </template>
    </dl>
  </aside>
</template>

<style scoped>
.keys {
  position: absolute;
  z-index: 5;
  top: 90px;
  right: 0;
  width: 420px;
  padding: 12px 16px 16px;
  background: var(--surface-2);
  border: 1px solid var(--line);
}
dl {
  display: grid;
  grid-template-columns: 140px 1fr;
  gap: 4px 12px;
  margin: 8px 0 0;
}
dd {
  margin: 0;
  color: var(--text-2);
}
</style>
