<script setup lang="ts">
import { useHints } from '@/stores/hints'

const VERSION = __VERSION__
const hints = useHints()
const emit = defineEmits<{ close: [] }>()
const KEYS = [
  ['Ctrl Z', 'Undo'],
  ['Ctrl Shift Z', 'Redo'],
  ['1 to 9', 'Go to a station of the path'],
  ['T', 'View at this station, or at the end of the path'],
  ['B', 'Show or hide the controls'],
  ['L', 'Show or hide the lower panel'],
  ['M', 'Show or hide the mattes'],
  ['V', 'Show or hide all variants as images'],
  ['H', 'Show or hide the history'],
  ['F', 'Full-screen image'],
  ['K', 'Hold this state'],
  ['J', 'Switch between held and current'],
  ['W', 'Wipe; drag the line, with Shift change its angle'],
  ['S', 'Side by side'],
  ['D', 'Difference'],
  ['Arrows on a ruler', 'One graduation; with Shift a tenth'],
  ['Home on a ruler', 'Reset'],
  [
    'Drag at Balance',
    'Level of the dominant light up/down, its temperature left/right; with Shift finer, with Alt the component, with Ctrl only the object at the pin',
  ],
  ['Ctrl click on the board', 'Choose several: they move together'],
  ['Arrows on the board', 'A third of a stop'],
  ['Click on the image', 'Place the pin; with Shift add another'],
  ['Arrows on the image', 'Move the pin; with Shift by ten pixels'],
  ['Enter on the image', 'With the mattes open: add the object at the pin'],
  ['Delete on the image', 'Remove the pin'],
  ['Escape', 'Close the top panel; at Source show all passes'],
  ['F1', 'Show or hide the manual, at what is open'],
  ['?', 'Show or hide this list'],
]
</script>

<template>
  <aside class="keys" aria-label="Keyboard shortcuts">
    <div class="bench-head">
      <h2>Keyboard shortcuts</h2>
      <button type="button" @click="hints.again()">Show hints</button>
      <button type="button" @click="emit('close')">Close</button>
    </div>
    <dl>
      <template v-for="[key, what] in KEYS" :key="key">
        <dt>{{ key }}</dt>
        <dd>{{ what }}</dd>
      </template>
    </dl>
    <p class="about">
      Escala {{ VERSION }}. <a href="/notices.txt" target="_blank">Licences of what is bundled</a>
    </p>
  </aside>
</template>

<style scoped>
.about {
  margin: 12px 0 0;
  color: var(--text-2);
}
.keys {
  position: absolute;
  z-index: 5;
  top: 90px;
  right: var(--beside, 0);
  max-height: calc(100vh - 114px);
  overflow-y: auto;
  width: 820px;
  padding: 12px 16px 16px;
  background: var(--surface-2);
  border: 1px solid var(--line);
}
dl {
  display: grid;
  grid-template-columns: 130px 1fr 150px 1fr;
  gap: 4px 12px;
  margin: 8px 0 0;
}
dd {
  margin: 0;
  color: var(--text-2);
}
</style>
