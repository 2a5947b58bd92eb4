<script setup lang="ts">
import { useWorkspace } from '@/stores/workspace'

/** Brighten the thumbnails of dark passes, everywhere. */
const workspace = useWorkspace()
</script>

<template>
  <button
    type="button"
    :aria-pressed="workspace.lifted"
    title="Show dark thumbnails brighter; each says by how many stops"
    @click="workspace.lifted = !workspace.lifted"
  >
    Brighten dark thumbnails
  </button>
</template>
