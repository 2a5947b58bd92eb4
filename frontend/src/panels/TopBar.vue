<script setup lang="ts">
import { displayName } from '@/format'
import Menu from 'primevue/menu'
import { computed, ref } from 'vue'
import { useNow } from '@vueuse/core'
import { useRoute, useRouter } from 'vue-router'
import { useWorkspace } from '@/stores/workspace'
import { useShot } from '@/stores/shot'
import { useNotifications } from '@/stores/notifications'

const emit = defineEmits<{ deliver: []; history: []; moods: []; manual: []; shortcuts: [] }>()
const router = useRouter()
const route = useRoute()
const shots = useShot()
const workspace = useWorkspace()
const notifications = useNotifications()
const menu = ref<InstanceType<typeof Menu>>()
const file = ref<HTMLInputElement>()
const naming = ref<'rename' | null>(null)
const now = useNow({ interval: 1000 })

const saved = computed(() => {
  if (shots.saving) return 'Saving…'
  if (shots.savedAt === null) return 'All saved'
  const seconds = Math.max(0, Math.round((now.value.getTime() - shots.savedAt) / 1000))
  return seconds < 60 ? `Saved ${seconds} s ago` : `Saved ${Math.floor(seconds / 60)} min ago`
})
const frames = computed(() => {
  const numbers = Object.keys(shots.shot?.render.frames ?? {})
  if (numbers.length > 1) return `${numbers.length} frames`
  const { samples, samplesWanted } = shots.shot?.render.attributes ?? {}
  return Number(samples) < Number(samplesWanted) ? `Still, ${samples} of ${samplesWanted} samples` : 'Still'
})

const items = computed(() => {
  const gone = shots.deletedVariant?.shot === shots.shot?.id ? shots.deletedVariant : null
  return [
    { label: 'Moods: all as images', command: () => emit('moods') },
    { label: 'New variant', command: () => add(false) },
    { label: 'Duplicate', command: () => add(true) },
    { label: 'Rename', command: () => (naming.value = 'rename') },
    { label: 'Save as file', command: save },
    { label: 'Open file…', command: () => file.value?.click() },
    { label: 'Copy command line', command: () => attempt(copyLine()) },
    { label: 'Delete variant', command: () => attempt(shots.deleteVariant()) },
    ...(gone ? [{ label: `Restore “${gone.name}”`, command: () => attempt(shots.restoreVariant()) }] : []),
  ]
})

function add(copy: boolean) {
  attempt(shots.addVariant(shots.freeVariantName(copy ? `${shots.variant?.name} copy` : 'New variant'), copy))
}

/** The document as the command line takes it. */
function save() {
  const link = document.createElement('a')
  link.href = `/api/variants/${shots.variant!.id}/file`
  link.download = ''
  link.click()
}

async function open(event: Event) {
  const input = event.target as HTMLInputElement
  for (const one of input.files ?? []) {
    const report = await shots.openVariantFile(one)
    if (report) notifications.show(report)
  }
  input.value = ''
}

async function copyLine() {
  const line = await shots.commandLine()
  await navigator.clipboard.writeText(line)
  notifications.show(`Copied: ${line}`)
}

function rename(event: Event) {
  const name = (event.target as HTMLInputElement).value.trim()
  naming.value = null
  if (name && name !== shots.variant?.name) attempt(shots.renameVariant(name))
}

function attempt(work: Promise<unknown>) {
  work.catch((error) => notifications.show(error))
}
</script>

<template>
  <header class="top">
    <button type="button" class="mark" title="All shots" @click="router.push({ name: 'start' })">
      Escala
    </button>
    <template v-if="shots.shot">
      <span>{{ displayName(shots.shot.name) }}</span>
      <span class="quiet">{{ frames }}</span>
      <div class="variants" role="group" aria-label="Variants">
        <div class="tabs">
          <template v-for="variant in shots.shot.variants" :key="variant.id">
            <input
              v-if="naming && variant.id === shots.variant?.id"
              :value="variant.name"
              aria-label="Variant name"
              autofocus
              @blur="rename"
              @keydown.enter="($event.target as HTMLInputElement).blur()"
            />
            <button
              v-else
              type="button"
              class="tab"
              :aria-pressed="variant.id === shots.variant?.id"
              @click="attempt(shots.openVariant(variant.id))"
              @dblclick="naming = 'rename'"
            >
              {{ variant.name }}
            </button>
          </template>
        </div>
        <button type="button" class="plain" aria-haspopup="menu" @click="menu?.toggle($event)">
          Variants
        </button>
        <Menu ref="menu" :model="items" popup />
        <input
          ref="file"
          type="file"
          accept=".json"
          hidden
          aria-label="Variant file"
          @change="attempt(open($event))"
        />
      </div>
      <span class="space" />
      <button type="button" class="plain" :disabled="!shots.variant?.can_undo" @click="attempt(shots.undo())">
        Undo
      </button>
      <button type="button" class="plain" :disabled="!shots.variant?.can_redo" @click="attempt(shots.redo())">
        Redo
      </button>
      <button type="button" class="plain" @click="emit('history')">History</button>
      <span class="quiet saved" aria-live="polite">{{ saved }}</span>
      <button type="button" class="plain" @click="emit('deliver')">Export</button>
    </template>
    <span v-else class="space" />
    <button
      type="button"
      class="plain"
      :aria-pressed="workspace.lightTheme"
      @click="workspace.lightTheme = !workspace.lightTheme"
    >
      Light theme
    </button>
    <button
      v-if="route.name !== 'manual'"
      type="button"
      class="plain"
      title="The manual on what is open (F1)"
      @click="emit('manual')"
    >
      Manual
    </button>
    <button
      type="button"
      class="plain"
      aria-label="Keyboard shortcuts"
      title="Keyboard shortcuts"
      @click="emit('shortcuts')"
    >
      ?
    </button>
  </header>
</template>

<style scoped>
.top {
  display: flex;
  align-items: center;
  gap: 12px;
  height: 36px;
  padding: 0 10px 0 14px;
  background: var(--surface-1);
  border-bottom: 1px solid var(--line);
  white-space: nowrap;
}
.mark {
  padding: 0;
  border: 0;
  background: none;
  font-weight: 700;
}
.quiet {
  color: var(--text-3);
}
.saved {
  min-width: 96px;
  text-align: right;
}
.variants {
  display: flex;
  align-items: center;
  gap: 2px;
  min-width: 0;
  overflow: hidden;
}
/* Many variants scroll sideways; the menu stays in reach. */
.tabs {
  display: flex;
  gap: 2px;
  min-width: 0;
  overflow-x: auto;
  scrollbar-width: none;
}
.variants > .plain {
  flex: none;
}
.tab,
.plain {
  padding: 3px 8px;
  border: 0;
  background: none;
}
.tab[aria-pressed='true'] {
  background: var(--surface-3);
  color: var(--accent);
}
.space {
  flex: 1;
}
</style>
