<script setup lang="ts">
import { liftText } from '@/format'
import { computed } from 'vue'

const props = defineProps<{
  operator: string
  title: string
  note?: string
  row: number
  rows: number
  sheet: string
  alone?: boolean
  /** Set where the line opens to its controls. */
  open?: boolean
  state?: string
  /** By how many stops its own picture is lifted to be seen. */
  lift?: number
  /** Attributes of the handle that reorders the lines, where they can be. */
  handle?: object
}>()
const emit = defineEmits<{ toggle: [] }>()
const WIDTH = 74
const HEIGHT = 42

function picture(column: number) {
  return {
    backgroundImage: `url(${props.sheet})`,
    backgroundSize: `${2 * WIDTH}px ${props.rows * HEIGHT}px`,
    backgroundPosition: `-${column * WIDTH}px -${props.row * HEIGHT}px`,
  }
}
const term = computed(() => picture(0))
const running = computed(() => picture(1))
</script>

<template>
  <div class="line">
    <span class="operator" :class="{ handle }" :title="handle ? 'Drag to reorder' : ''" v-bind="handle">{{
      operator || (handle ? '⠿' : '')
    }}</span>
    <span class="small" :style="term" :title="lift ? liftText(lift) : ''">
      <i v-if="lift">+{{ lift }}</i>
    </span>
    <div class="words">
      <button
        v-if="open !== undefined"
        type="button"
        class="title"
        :aria-expanded="open"
        @click="emit('toggle')"
      >
        {{ title }} <b v-if="state">{{ state }}</b>
      </button>
      <span v-else>{{ title }}</span>
      <span v-if="note" class="quiet" :title="note">{{ note }}</span>
      <slot />
    </div>
    <span v-if="!alone" class="small" :style="running" title="The sum so far" />
  </div>
</template>

<style scoped>
.handle {
  cursor: grab;
}
.drop-here {
  box-shadow: inset 0 2px 0 var(--accent);
}
.line {
  display: grid;
  grid-template-columns: 18px 74px 1fr auto;
  gap: 8px;
  align-items: center;
  padding: 4px 0;
}
.operator {
  color: var(--text-2);
  font-size: 18px;
  text-align: center;
}
.small {
  width: 74px;
  height: 42px;
  background-color: #000;
}
.small i {
  padding-left: 2px;
  color: #c8c8c8;
  font-size: 10px;
  font-style: normal;
  line-height: 12px;
  text-shadow:
    0 0 2px #000,
    0 0 2px #000;
  vertical-align: top;
}
.title {
  padding: 0;
  border: 0;
  background: none;
  text-align: left;
}
.title[aria-expanded='true'],
.title b {
  color: var(--accent);
  font-weight: 400;
}
.words {
  display: flex;
  flex-direction: column;
  min-width: 0;
}
.words .quiet {
  font-size: 12px;
  overflow-wrap: anywhere;
}
.words :slotted(p) {
  margin: 0;
}
</style>
