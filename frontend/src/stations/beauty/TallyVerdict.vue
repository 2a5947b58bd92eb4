<script setup lang="ts">
import type { Finding, Tally } from '@/api/types'

defineProps<{ verdict: NonNullable<Tally['verdict']> }>()
const emit = defineEmits<{ repair: [finding: Finding] }>()
</script>

<template>
  <div class="verdict" role="status">
    <p :class="verdict.exact ? 'match' : 'warning'">{{ verdict.words }}</p>
    <div v-for="cause in verdict.causes" :key="cause.code + cause.message" class="cause">
      <span>{{ cause.message }}</span>
      <button v-if="cause.repair" type="button" @click="emit('repair', cause)">{{ cause.repair }}</button>
    </div>
    <p v-if="!verdict.exact && !verdict.causes.length" class="quiet">
      No single cause found. The residual holds the difference, so the image still equals the beauty.
    </p>
  </div>
</template>

<style scoped>
.verdict {
  display: grid;
  gap: 8px;
  padding: 6px 0 2px;
}
.cause {
  display: grid;
  gap: 4px;
  justify-items: start;
}
</style>
