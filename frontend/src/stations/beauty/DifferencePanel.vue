<script setup lang="ts">
import { computed, ref } from 'vue'
import { frameQuery } from '@/api/client'
import { useWorkspace } from '@/stores/workspace'
import { useShot } from '@/stores/shot'
import { useTally } from './useTally'

const GAINS = [1, 10, 100, 1000, 10000]
const shots = useShot()
const workspace = useWorkspace()
const { tally, loaded } = useTally()
const chosen = ref<number | null>(null)
const verdict = computed(() => tally.value?.verdict ?? null)
/** As long as nobody chooses: the largest that does not blind. */
const gain = computed(() => {
  const { exact = true, max_abs = 0 } = verdict.value ?? {}
  return chosen.value ?? (exact ? 1000 : Math.max(1, ...GAINS.filter((g) => g * max_abs <= 2)))
})
const address = computed(() =>
  shots.variant
    ? `/api/variants/${shots.variant.id}/difference?gain=${gain.value}&width=720&${frameQuery(workspace.frame)}key=${shots.renderKey}-${shots.variant.head}`
    : '',
)
const number = (value: number) => (value < 0.001 ? value.toPrecision(2) : value.toFixed(4))

function goWorst() {
  if (verdict.value) workspace.putPin({ x: verdict.value.worst[0], y: verdict.value.worst[1] })
}
</script>

<template>
  <section v-if="verdict" class="difference" aria-label="Difference from the reference">
    <div class="bar">
      <span>Difference from the reference, gain</span>
      <button
        v-for="choice in GAINS"
        :key="choice"
        type="button"
        :aria-pressed="gain === choice"
        @click="chosen = choice"
      >
        {{ choice }}
      </button>
    </div>
    <img :src="address" alt="Absolute difference between the sum and the reference" />
    <div class="figures">
      <p :class="verdict.exact ? 'match' : 'warning'">{{ verdict.words }}</p>
      <dl class="values">
        <dt>Pixels outside rounding tolerance</dt>
        <dd>{{ verdict.outside.toLocaleString('en') }} of {{ verdict.pixels.toLocaleString('en') }}</dd>
        <dt>RMS</dt>
        <dd>{{ number(verdict.rms) }}</dd>
        <dt>Largest, R G B</dt>
        <dd>{{ verdict.max_channels.map(number).join('  ') }}</dd>
        <dt>Largest at</dt>
        <dd>
          <button type="button" @click="goWorst">{{ verdict.worst[0] }}, {{ verdict.worst[1] }}</button>
        </dd>
      </dl>
    </div>
  </section>
  <p v-else class="quiet empty">
    {{ loaded ? 'No reference to compare with.' : 'Loading…' }}
  </p>
</template>

<style scoped>
.difference {
  display: grid;
  grid-template: auto 1fr / auto 1fr;
  gap: 8px 16px;
  height: 100%;
  padding: 8px 14px;
}
.bar {
  grid-column: 1 / 3;
  display: flex;
  gap: 4px;
  align-items: center;
}
.bar span {
  margin-right: 8px;
}
.bar button {
  padding: 1px 8px;
}
img {
  height: 100%;
  max-height: 200px;
  min-height: 0;
  background: #000;
}
.figures {
  display: grid;
  align-content: start;
  gap: 10px;
  max-width: 380px;
}
.empty {
  padding: 14px;
}
</style>
