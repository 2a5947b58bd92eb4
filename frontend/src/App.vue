<script setup lang="ts">
import { computed, onMounted, onScopeDispose, ref } from 'vue'
import { useRoute } from 'vue-router'
import { listen, type ServerEvent } from '@/api/events'
import type { Job } from '@/api/types'
import { useAddress } from '@/composables/useAddress'
import { STATIONS } from '@/document/stations'
import ManualPanel from '@/manual/ManualPanel.vue'
import MoodsPage from '@/moods/MoodsPage.vue'
import ExportPanel from '@/export/ExportPanel.vue'
import HistoryPanel from '@/panels/HistoryPanel.vue'
import RenderUpdatePanel from '@/panels/RenderUpdatePanel.vue'
import ShortcutList from '@/panels/ShortcutList.vue'
import TopBar from '@/panels/TopBar.vue'
import NotificationList from '@/panels/NotificationList.vue'
import { useHolds } from '@/stores/holds'
import { useLanes } from '@/stores/lanes'
import { shotMadeBy, useJobs } from '@/stores/jobs'
import { useWorkspace } from '@/stores/workspace'
import { useMattes } from '@/stores/mattes'
import { useShot } from '@/stores/shot'
import { useNotifications } from '@/stores/notifications'
import NotesPanel from '@/notes/NotesPanel.vue'
import { useNotes } from '@/stores/notes'

const shots = useShot()
const workspace = useWorkspace()
const holds = useHolds()
const mattes = useMattes()
const notifications = useNotifications()
const jobs = useJobs()
const notes = useNotes()
const delivering = ref(false)
const showingKeys = ref(false)
const showingHistory = ref(false)
const showingMoods = ref(false)
const showingManual = ref(false)
const route = useRoute()
const address = useAddress()
const lanes = useLanes()
/** Whether what the address names can be shown. */
const isReady = computed(() => route.name !== 'shot' || (shots.shot && shots.variant))
/** The manual has a column beside the work, but not on its own page, nor beside an image on the whole screen. */
const hasManual = computed(() => showingManual.value && route.name !== 'manual' && !workspace.fullScreen)
/** The page of the manual on what is open. */
const topic = computed(() => {
  if (!shots.shot) return ''
  if (delivering.value) return 'export'
  if (notes.isOpen) return 'notes'
  if (showingMoods.value || showingHistory.value) return 'variants'
  if (mattes.open) return 'mattes'
  return lanes.open ? 'time' : workspace.station
})

onMounted(start)
onScopeDispose(listen(onEvent, () => shots.shot?.id ?? null))

async function start() {
  try {
    await shots.loadShots()
    await address.start()
  } catch (error) {
    notifications.show(error)
  }
}

async function onEvent(event: ServerEvent) {
  try {
    if (event.kind === 'job') await heardJob(event)
    else if (event.kind === 'shots') await shots.loadShots()
    else if (event.kind === 'trouble') notifications.show(event.sentence)
    else if (event.kind === 'missed') await lookAnew()
    else if (event.kind === 'shares') await notes.loadShares()
    else if (event.shot_id !== shots.shot?.id) return
    else if (event.kind === 'render')
      await shots.reloadRender({ sentences: event.changes, renamed: event.renamed })
    else if (event.kind === 'notes') await notes.load()
    else if (event.kind === 'variants') await shots.reloadShot()
    else if (event.variant_id === shots.variant?.id) await shots.onHead(event.variant_id, event.head)
  } catch (error) {
    notifications.show(error)
  }
}

/** The server was started anew, or much happened while the page slept. */
async function lookAnew() {
  await shots.loadShots()
  await shots.reloadRender({ sentences: [], renamed: {} })
}

async function heardJob(job: Job) {
  jobs.hear(job)
  if (job.state === 'failed' && job.error && !TOLD_IN_PLACE.has(job.what)) notifications.show(job.error)
  if (job.state === 'done' && shotMadeBy(job) !== undefined) await shots.loadShots()
}

/** Work whose outcome is shown where it was started. */
const TOLD_IN_PLACE = new Set(['exporting', 'exporting passes', 'replacing render'])

function onKey(event: KeyboardEvent) {
  if (event.key === 'F1') {
    event.preventDefault()
    showingManual.value = !showingManual.value
    return
  }
  if (event.key === 'Escape' && event.defaultPrevented) return
  if ((event.target as HTMLElement).closest('input, textarea, [role=combobox]')) return
  if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'z') {
    event.preventDefault()
    void (event.shiftKey ? shots.redo() : shots.undo())
    return
  }
  if (event.ctrlKey || event.metaKey || event.altKey) return
  const station = STATIONS[Number(event.key) - 1]
  if (station) workspace.go(station)
  else KEYS[event.key]?.()
}

/** What lies over the work is closed, the newest first; then a pass that is looked at goes back to the others. */
function closeOne() {
  const open = [delivering, showingHistory, showingKeys, showingMoods, showingManual].find(
    (panel) => panel.value,
  )
  if (open) open.value = false
  else if (mattes.open) mattes.close()
  else if (workspace.fullScreen) void toggleFullScreen()
  else if (workspace.station === 'source' && !workspace.sheetOpen) workspace.showSheet()
}

const KEYS: Record<string, () => void> = {
  Escape: closeOne,
  '?': () => (showingKeys.value = !showingKeys.value),
  t: () => (workspace.viewsStation = !workspace.viewsStation),
  b: () => (workspace.benchOpen = !workspace.benchOpen),
  l: () => (workspace.lowerOpen = !workspace.lowerOpen),
  m: () => shots.shot && (mattes.open ? mattes.close() : mattes.show()),
  v: () => (showingMoods.value = !showingMoods.value),
  h: () => (showingHistory.value = !showingHistory.value),
  k: () =>
    shots.variant && holds.holdState(shots.variant.name, shots.state, workspace.frame, workspace.viewStation),
  j: () => holds.first && holds.turnTo('held'),
  w: () => holds.first && holds.turnTo('wipe'),
  d: () => holds.first && holds.turnTo('difference'),
  s: () => holds.first && holds.turnTo('side'),
  f: () => void toggleFullScreen(),
}
/** Only the picture, on the whole screen; where the browser allows no more, at least on the whole page. */
async function toggleFullScreen() {
  workspace.fullScreen = !workspace.fullScreen
  try {
    if (workspace.fullScreen) await document.documentElement.requestFullscreen()
    else if (document.fullscreenElement) await document.exitFullscreen()
  } catch {
    // The page alone is cleared, then.
  }
}

function onFullScreen() {
  if (!document.fullscreenElement) workspace.fullScreen = false
}
document.addEventListener('fullscreenchange', onFullScreen)
onScopeDispose(() => document.removeEventListener('fullscreenchange', onFullScreen))
window.addEventListener('keydown', onKey)
onScopeDispose(() => window.removeEventListener('keydown', onKey))
</script>

<template>
  <div class="app" :class="{ bare: workspace.fullScreen, beside: hasManual }">
    <TopBar
      v-if="!workspace.fullScreen"
      @history="showingHistory = !showingHistory"
      @deliver="delivering = !delivering"
      @moods="showingMoods = !showingMoods"
      @manual="showingManual = !showingManual"
      @shortcuts="showingKeys = !showingKeys"
    />
    <RouterView v-if="isReady" />
    <p v-else class="loading" role="status">Loading the shot…</p>
    <ManualPanel v-if="hasManual" class="manual-column" :topic="topic" @close="showingManual = false" />
    <ExportPanel v-if="delivering && shots.shot" @close="delivering = false" />
    <NotesPanel v-if="notes.isOpen && shots.shot" @close="notes.close()" />
    <HistoryPanel v-if="showingHistory && shots.shot" @close="showingHistory = false" />
    <MoodsPage v-if="showingMoods && shots.shot && shots.variant" @close="showingMoods = false" />
    <ShortcutList v-if="showingKeys" @close="showingKeys = false" />
    <RenderUpdatePanel />
    <NotificationList />
  </div>
</template>

<style scoped>
.app {
  position: relative;
  display: grid;
  grid-template-rows: 36px auto 1fr 24px;
  grid-template-columns: minmax(0, 1fr);
  height: 100vh;
}
.app.bare {
  grid-template-rows: 1fr 24px;
}
.app.beside {
  --beside: 400px;
  grid-template-columns: minmax(0, 1fr) var(--beside);
}
.app > :deep(.top),
.app > :deep(.foot) {
  grid-column: 1 / -1;
}
.app > :deep(.start) {
  grid-row: 2 / 5;
}
.manual-column {
  grid-row: 2 / 4;
  grid-column: 2;
}
.loading {
  grid-row: 2 / 4;
  padding: 12px 14px;
}
</style>
