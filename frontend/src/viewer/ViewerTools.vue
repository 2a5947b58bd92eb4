<script setup lang="ts">
import { stopsText } from '@/format'
import { computed, ref } from 'vue'
import { useHolds } from '@/stores/holds'
import { useWorkspace } from '@/stores/workspace'
import { useShot } from '@/stores/shot'
import HoldMenu from './HoldMenu.vue'
import ViewerSettings from './ViewerSettings.vue'

const workspace = useWorkspace()
const holds = useHolds()
const shots = useShot()
const opened = ref(false)
const aidWords = computed(() => {
  const { exposure, gamma, show, marks, behind } = workspace.aids
  const words = [
    exposure ? `${stopsText(exposure)} stops` : '',
    gamma === 1 ? '' : `gamma ${gamma.toFixed(2)}`,
    show === 'colour' ? '' : show,
    marks ? 'clipping' : '',
    behind === 'nothing' ? '' : `${behind} background`,
  ].filter(Boolean)
  return words.length ? `Viewer: ${words.join(', ')}` : 'Viewer settings'
})
const zoomText = computed(() => `${Math.round(workspace.scale * 100)}%`)

function hold() {
  if (shots.variant) holds.holdState(shots.variant.name, shots.state, workspace.frame, workspace.viewStation)
}
</script>

<template>
  <div class="tools" role="group" aria-label="Viewer">
    <button type="button" class="aids" :aria-pressed="opened || workspace.aided" @click="opened = !opened">
      {{ aidWords }}
    </button>
    <ViewerSettings v-if="opened" @close="opened = false" />
    <button type="button" @click="hold">Hold this state</button>
    <HoldMenu />
    <button type="button" aria-label="Zoom out" @click="workspace.zoomCommand = { to: 'wider' }">−</button>
    <span class="zoom" aria-label="Zoom">{{ zoomText }}</span>
    <button type="button" aria-label="Zoom in" @click="workspace.zoomCommand = { to: 'closer' }">+</button>
    <button type="button" :aria-pressed="workspace.fitted" @click="workspace.zoomCommand = { to: 'fit' }">
      Fit
    </button>
    <button
      type="button"
      :aria-pressed="workspace.scale === 1 && !workspace.fitted"
      @click="workspace.zoomCommand = { to: 'one' }"
    >
      1:1
    </button>
  </div>
</template>

<style scoped>
.tools {
  display: flex;
  align-items: center;
  gap: 2px;
}
button {
  padding: 0 7px;
  border: 0;
  background: none;
}
button[aria-pressed='true'] {
  background: var(--surface-3);
}
.aids[aria-pressed='true'] {
  color: var(--accent);
}
.zoom {
  min-width: 44px;
  text-align: center;
}
</style>
