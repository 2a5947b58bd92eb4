<script setup lang="ts">
import { ref, watch } from 'vue'
import ManualReader from './ManualReader.vue'

/** The manual beside the work: it shows the page of what is open there, until another one is chosen. */
const props = defineProps<{ topic: string }>()
const emit = defineEmits<{ close: [] }>()
const page = ref('')
const section = ref('')

function open(name: string, heading = '') {
  page.value = name
  section.value = heading
}
watch(
  () => props.topic,
  (topic) => open(topic),
  { immediate: true },
)
</script>

<template>
  <aside class="manual" aria-label="Manual">
    <div class="bench-head">
      <h2>Manual</h2>
      <RouterLink
        :to="{ name: 'manual', params: { page }, hash: section && `#${section}` }"
        target="_blank"
        title="Open this page in a tab of its own"
        >New tab</RouterLink
      >
      <button type="button" @click="emit('close')">Close</button>
    </div>
    <ManualReader :page="page" :section="section" @open="open" />
  </aside>
</template>

<style scoped>
.manual {
  display: grid;
  grid-template-rows: auto minmax(0, 1fr);
  gap: 10px;
  min-height: 0;
  padding: 8px 14px;
  background: var(--surface-2);
  border-left: 1px solid var(--line);
}
</style>
