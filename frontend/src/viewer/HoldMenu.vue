<script setup lang="ts">
import Menu from 'primevue/menu'
import { computed, ref } from 'vue'
import { api, unwrap } from '@/api/client'
import type { VariantState } from '@/api/types'
import { useColourOffer } from '@/composables/useColourOffer'
import { SAVED, useHolds } from '@/stores/holds'
import { useWorkspace } from '@/stores/workspace'
import { useShot } from '@/stores/shot'
import { useNotifications } from '@/stores/notifications'
import { useDroppedImage } from './useDroppedImage'

/** All that can be held beside the present state: the renderer's beauty, passes, variants, other views, pictures. */
const shots = useShot()
const workspace = useWorkspace()
const holds = useHolds()
const notifications = useNotifications()
const { offer } = useColourOffer()
const { take } = useDroppedImage()
const menu = ref<InstanceType<typeof Menu>>()
const files = ref<HTMLInputElement>()

function compare(hold: Parameters<typeof holds.add>[0]) {
  holds.add(hold)
  if (holds.mode === 'now') holds.mode = 'wipe'
}

function holdReference() {
  compare({ name: 'Renderer’s beauty', state: SAVED, patch: [], station: 'source' })
}

function holdPass(name: string) {
  compare({ name, state: null, patch: [], station: 'source', pass_name: name })
}

function holdView(config: string, view?: string) {
  const display = view === undefined ? {} : { ...shots.document?.display, view }
  const patch = [{ op: 'replace' as const, path: '/display', value: display }]
  const colour = { config }
  const other = view === undefined ? [{ op: 'replace' as const, path: '/colour', value: colour }] : []
  holds.add({ name: view ?? config, state: null, patch: [...other, ...patch], station: 'display' })
  holds.mode = 'side'
}

async function holdVariant(id: number, name: string) {
  try {
    const params = { path: { variant_id: id } }
    const { head } = await unwrap<VariantState>(api.GET('/api/variants/{variant_id}', { params }))
    holds.holdState(name, { variant: id, base: head, patch: [] })
    if (holds.mode === 'now') holds.mode = 'wipe'
  } catch (error) {
    notifications.show(error)
  }
}

const chosenDisplay = computed(() => shots.document?.display?.display)
const chosenConfig = computed(() => shots.document?.colour?.config ?? 'ACES 2')
const views = computed(() => offer.value?.views[chosenDisplay.value ?? offer.value.display] ?? [])
const items = computed(() => [
  {
    label: 'Render',
    items: [
      { label: "Renderer’s beauty", command: holdReference },
      ...workspace.chosenPasses
        .slice(0, 4)
        .map((name) => ({ label: `Pass ${name}`, command: () => holdPass(name) })),
    ],
  },
  {
    label: 'Another variant',
    items: (shots.shot?.variants ?? [])
      .filter((variant) => variant.id !== shots.variant?.id)
      .map(({ id, name }) => ({ label: name, command: () => void holdVariant(id, name) })),
  },
  {
    label: 'Current state, other view',
    items: [
      ...views.value.map((view) => ({ label: view, command: () => holdView('', view) })),
      ...(offer.value?.configs ?? [])
        .filter((config) => config.source !== chosenConfig.value)
        .map(({ source, title }) => ({ label: `Config ${title}`, command: () => holdView(source) })),
    ],
  },
  {
    label: 'Image file',
    items: [{ label: 'Open file…', command: () => files.value?.click() }],
  },
].filter((group) => group.items.length)) // prettier-ignore

function bring(event: Event) {
  const input = event.target as HTMLInputElement
  void take([...(input.files ?? [])]).then(() => (input.value = ''))
}
</script>

<template>
  <button type="button" class="compare" aria-haspopup="menu" @click="menu?.toggle($event)">
    Compare with…
  </button>
  <Menu ref="menu" :model="items" popup />
  <input
    ref="files"
    type="file"
    accept=".exr,.png,.tif,.tiff,.jpg,.jpeg"
    hidden
    multiple
    aria-label="Image to compare with"
    @change="bring"
  />
</template>

<style scoped>
.compare {
  padding: 0 7px;
  border: 0;
  background: none;
}
</style>
