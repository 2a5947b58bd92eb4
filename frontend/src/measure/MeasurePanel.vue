<script setup lang="ts">
import { useWorkspace } from '@/stores/workspace'
import ProbePanel from './ProbePanel.vue'
import ScopePanel from './ScopePanel.vue'

/** Probe and scope, docked below the controls or over the image; where, is kept. */
const workspace = useWorkspace()
</script>

<template>
  <div class="measure" :class="{ over: workspace.measureOver }">
    <ProbePanel>
      <button
        type="button"
        class="link"
        :aria-pressed="workspace.measureOver"
        title="Dock probe and scope over the image, or below the controls"
        @click="workspace.measureOver = !workspace.measureOver"
      >
        Over image
      </button>
    </ProbePanel>
    <ScopePanel />
  </div>
</template>

<style scoped>
.over {
  position: absolute;
  z-index: 4;
  right: 8px;
  bottom: 8px;
  width: 356px;
  max-height: calc(100% - 16px);
  overflow-y: auto;
  border: 1px solid var(--line);
  background: var(--surface-2);
}
.link {
  padding: 0;
  border: 0;
  background: none;
  color: var(--text-3);
  font-size: 12px;
}
</style>
