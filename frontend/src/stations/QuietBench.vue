<script setup lang="ts">
import { displayName } from '@/format'
import { computed } from 'vue'
import { useWorkspace } from '@/stores/workspace'

const workspace = useWorkspace()
const SENTENCES: Record<string, string> = {
  plate: 'Not available: plates are not supported in this version.',
}
const sentence = computed(() => SENTENCES[workspace.station] ?? '')
</script>

<template>
  <section class="bench-part">
    <h2>{{ displayName(workspace.station) }}</h2>
    <p class="quiet">{{ sentence }}</p>
  </section>
</template>
