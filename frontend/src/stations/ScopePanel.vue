<script setup lang="ts">
import { computed, ref } from 'vue'
import { useScope, type ScopeKind } from './useScope'

/** The brightness of the picture, column by column, in stops around middle grey. */
const kind = ref<ScopeKind>('waveform')
const { picture, low, high } = useScope(kind)
const stops = computed(() => [8, 4, 0, -4, -8].filter((stop) => stop >= low && stop <= high))
const top = (stop: number) => `${((high - stop) / (high - low)) * 100}%`
const text = (stop: number) => `${stop > 0 ? '+' : stop < 0 ? '−' : ''}${Math.abs(stop)}`
</script>

<template>
  <section class="bench-part" aria-label="Scope">
    <div class="bench-head">
      <h2>{{ kind === 'waveform' ? 'Waveform' : 'Parade' }} <span class="quiet">stops from grey</span></h2>
      <button type="button" @click="kind = kind === 'waveform' ? 'parade' : 'waveform'">
        {{ kind === 'waveform' ? 'red, green, blue apart' : 'all in one' }}
      </button>
    </div>
    <div class="scope">
      <img v-if="picture" :src="picture" :alt="`The ${kind} of the picture`" />
      <i v-for="stop in stops" :key="stop" :style="{ top: top(stop) }">{{ text(stop) }}</i>
    </div>
  </section>
</template>

<style scoped>
h2 .quiet {
  font-weight: 400;
  font-size: 12px;
}
.scope {
  position: relative;
  height: 126px;
  background: var(--well);
}
.scope img {
  width: 100%;
  height: 100%;
  mix-blend-mode: screen;
}
.scope i {
  position: absolute;
  left: 0;
  width: 100%;
  border-top: 1px solid var(--line);
  color: var(--text-3);
  font-size: 10px;
  font-style: normal;
  line-height: 12px;
  pointer-events: none;
}
</style>
