<script setup lang="ts">
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import ManualReader from './ManualReader.vue'
import { useManual } from './useManual'

/** The manual on a page of its own, with its contents beside. */
const route = useRoute()
const router = useRouter()
const { pages } = useManual()
const page = computed(() => String(route.params.page ?? ''))
const section = computed(() => route.hash.slice(1))

const open = (name: string, heading: string) =>
  router.push({ name: 'manual', params: { page: name }, hash: heading && `#${heading}` })
</script>

<template>
  <main class="manual-page">
    <nav aria-label="Pages of the manual">
      <RouterLink
        v-for="one in pages"
        :key="one.name"
        :to="{ name: 'manual', params: { page: one.name } }"
        :aria-current="one.name === page ? 'page' : undefined"
        >{{ one.name ? one.title : 'Contents' }}</RouterLink
      >
    </nav>
    <ManualReader :page="page" :section="section" @open="open" />
  </main>
</template>

<style scoped>
.manual-page {
  grid-row: 2 / 5;
  display: grid;
  grid-template-columns: 180px minmax(0, 820px);
  gap: 28px;
  min-height: 0;
  padding: 16px 14px;
}
nav {
  display: grid;
  align-content: start;
  gap: 2px;
  overflow-y: auto;
}
nav a {
  padding: 2px 8px;
  text-decoration: none;
}
nav a[aria-current] {
  background: var(--surface-3);
  color: var(--accent);
}
</style>
