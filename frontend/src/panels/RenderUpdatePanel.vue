<script setup lang="ts">
import { computed } from 'vue'
import type { PatchStep } from '@/api/types'
import { pointerStep } from '@/document/levels'
import { useShot } from '@/stores/shot'

/** What changed when newer files were taken over; levels of renamed lights can be carried along. */
const shots = useShot()
const carried = computed(() =>
  Object.entries(shots.renderUpdate?.renamed ?? {}).filter(([old]) => shots.document?.balance?.lights?.[old]),
)

function carry() {
  const patch = carried.value.flatMap(([old, now]): PatchStep[] => [
    { op: 'add', path: `/balance/lights/${pointerStep(now)}`, value: shots.document!.balance!.lights![old] },
    { op: 'remove', path: `/balance/lights/${pointerStep(old)}` },
  ])
  void shots.edit(patch, 'Levels moved to the renamed lights')
  shots.renderUpdate = null
}
</script>

<template>
  <aside v-if="shots.renderUpdate" class="news" aria-label="Render updated" role="status">
    <div class="bench-head">
      <h2>Render updated</h2>
      <button type="button" @click="shots.renderUpdate = null">Close</button>
    </div>
    <p v-for="sentence in shots.renderUpdate.sentences" :key="sentence">{{ sentence }}</p>
    <button v-if="carried.length" type="button" @click="carry">Move levels to the renamed lights</button>
  </aside>
</template>

<style scoped>
.news {
  position: fixed;
  z-index: 9;
  bottom: 36px;
  left: 14px;
  display: grid;
  gap: 6px;
  justify-items: start;
  width: 420px;
  padding: 10px 14px;
  background: var(--surface-1);
  border: 1px solid var(--line);
}
.bench-head {
  width: 100%;
}
</style>
