<script setup lang="ts">
import { computed, nextTick, ref, watch } from 'vue'
import { useManual, type Found } from './useManual'

/** One page of the manual, with the search and the way to the other pages. `section`: the heading in sight. */
const props = defineProps<{ page: string; section: string }>()
const emit = defineEmits<{ open: [page: string, section: string] }>()
const { state, words, found, pageOf } = useManual()
const content = ref<HTMLElement>()
const shown = computed(() => pageOf(props.page) ?? pageOf(''))

watch(
  [shown, () => props.section],
  async () => {
    await nextTick()
    const target = props.section && content.value?.querySelector(`#${CSS.escape(props.section)}`)
    if (target) target.scrollIntoView()
    else content.value?.scrollTo(0, 0)
  },
  { immediate: true },
)

function openFound({ page, section }: Found) {
  words.value = ''
  emit('open', page, section)
}

/** Links to pages of the manual open here; with Ctrl or another button the browser opens them by itself. */
function follow(event: MouseEvent) {
  const link = (event.target as HTMLElement).closest('a')
  if (!link || event.ctrlKey || event.metaKey || event.shiftKey) return
  event.preventDefault()
  const { pathname, hash } = new URL(link.href)
  emit('open', pathname.replace(/^\/manual\//, ''), hash.slice(1))
}
</script>

<template>
  <div class="reader">
    <div class="search">
      <button v-if="shown?.name" type="button" @click="emit('open', '', '')">Contents</button>
      <input v-model="words" type="search" aria-label="Search the manual" placeholder="Search the manual" />
    </div>
    <p v-if="state === 'loading'" role="status">Loading the manual…</p>
    <p v-else-if="state === 'error'" role="alert">
      The manual could not be loaded: the server does not answer. Open it again to retry.
    </p>
    <ul v-else-if="words.trim()" class="found" aria-label="Found in the manual">
      <li v-for="one in found" :key="one.id">
        <button type="button" @click="openFound(one)">
          <b>{{ one.title === one.pageTitle ? one.title : `${one.pageTitle}: ${one.title}` }}</b>
          <span>{{ one.excerpt }}</span>
        </button>
      </li>
      <li v-if="!found.length" class="quiet">Nothing in the manual matches “{{ words.trim() }}”.</li>
    </ul>
    <!-- The pages are built from the project's own files. -->
    <!-- eslint-disable vue/no-v-html -->
    <article
      v-else
      ref="content"
      tabindex="0"
      aria-label="Page of the manual"
      @click="follow"
      v-html="shown?.html"
    />
    <!-- eslint-enable vue/no-v-html -->
  </div>
</template>

<style scoped>
.reader {
  display: grid;
  grid-template-rows: auto minmax(0, 1fr);
  gap: 10px;
  min-height: 0;
}
.search {
  display: flex;
  gap: 6px;
}
.search input {
  flex: 1;
  min-width: 0;
}
.found {
  margin: 0;
  padding: 0;
  overflow-y: auto;
  list-style: none;
}
.found button {
  display: grid;
  width: 100%;
  padding: 6px 8px;
  border-color: transparent;
  text-align: left;
}
.found span {
  color: var(--text-2);
  overflow-wrap: anywhere;
}
article {
  overflow-y: auto;
  padding-right: 10px;
  line-height: 20px;
}
article :deep(h1) {
  margin: 0 0 8px;
  font-size: 18px;
  line-height: 24px;
}
article :deep(h2) {
  margin: 20px 0 6px;
  padding-top: 8px;
  border-top: 1px solid var(--line);
}
article :deep(h3) {
  margin: 14px 0 4px;
  font-size: 13px;
}
article :deep(p),
article :deep(ul),
article :deep(ol),
article :deep(pre),
article :deep(table) {
  margin: 0 0 10px;
}
article :deep(ul),
article :deep(ol) {
  padding-left: 18px;
}
article :deep(a) {
  color: var(--accent);
}
article :deep(img) {
  display: block;
  max-width: 100%;
  border: 1px solid var(--line);
}
article :deep(pre) {
  padding: 6px 8px;
  overflow-x: auto;
  background: var(--well);
  line-height: 18px;
}
article :deep(code) {
  font:
    12px/18px ui-monospace,
    monospace;
  overflow-wrap: anywhere;
}
article :deep(table) {
  display: block;
  overflow-x: auto;
  border-collapse: collapse;
}
article :deep(th),
article :deep(td) {
  padding: 3px 10px 3px 0;
  border-bottom: 1px solid var(--line);
  text-align: left;
  vertical-align: top;
}
</style>
