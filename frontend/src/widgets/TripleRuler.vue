<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Triple } from '@/api/types'
import RulerScale from './RulerScale.vue'
import { clampTo, type RulerScale as Scale } from './ruler'

/** Three channels on one ruler, which moves them together; unfolded, each has its own. */
const props = defineProps<{
  label: string
  value: Triple
  scale: Scale
  /** Whether moving them together keeps what they are of each other, or how far apart they are. */
  keeps: 'ratio' | 'distance'
}>()
const emit = defineEmits<{ moving: [value: Triple]; settled: [value: Triple] }>()

const CHANNELS = ['red', 'green', 'blue']
const open = ref(false)
const mean = computed(() => (props.value[0] + props.value[1] + props.value[2]) / 3)
const differ = computed(() => props.value.some((channel) => channel !== props.value[0]))

function together(to: number): Triple {
  const from = mean.value
  const moved = (channel: number) =>
    props.keeps === 'ratio' && from > 1e-6 ? (channel * to) / from : channel + to - from
  return props.value.map((channel) => clampTo(props.scale, moved(channel))) as Triple
}

function alone(index: number, to: number): Triple {
  return props.value.map((channel, at) => (at === index ? to : channel)) as Triple
}
</script>

<template>
  <div class="triple" role="group" :aria-label="label">
    <RulerScale
      :label="label"
      :scale="scale"
      :value="mean"
      @moving="emit('moving', together($event))"
      @settled="emit('settled', together($event))"
    >
      <template #note>
        <button
          type="button"
          class="link"
          :aria-pressed="open"
          :aria-label="`${label} per channel`"
          :title="differ ? 'The number is the average of R, G, B' : ''"
          @click="open = !open"
        >
          Per channel
        </button>
      </template>
    </RulerScale>
    <template v-if="open">
      <RulerScale
        v-for="(channel, index) in CHANNELS"
        :key="channel"
        :label="`${label} ${channel}`"
        :scale="scale"
        :value="value[index]!"
        @moving="emit('moving', alone(index, $event))"
        @settled="emit('settled', alone(index, $event))"
      />
    </template>
  </div>
</template>

<style scoped>
.triple {
  display: grid;
}
.link {
  display: block;
  padding: 0;
  border: 0;
  background: none;
  color: var(--text-3);
  font-size: 11px;
  line-height: 14px;
}
</style>
