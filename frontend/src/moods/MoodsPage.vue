<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import { computed, ref, shallowRef, watch } from 'vue'
import { api, unwrap } from '@/api/client'
import type { BalancePreset, BalanceReport, Mood, PatchStep, Region } from '@/api/types'
import { displayName } from '@/format'
import { useNotifications } from '@/stores/notifications'
import { useShot } from '@/stores/shot'
import MoodTile from './MoodTile.vue'
import { VARIANT_DRAG } from './drag'

/** All variants of the shot at once, their zoom linked; what differs is taken over one by one. */
const emit = defineEmits<{ close: [] }>()
const shots = useShot()
const notifications = useNotifications()
const moods = shallowRef<Mood[]>([])
const area = ref<HTMLElement>()
const { width, height } = useElementSize(area)
const choosing = ref(false)
const targets = ref<number[]>([])
const reports = shallowRef<BalanceReport[]>([])
/** Whose levels the shots get: a preset's, or those of the current variant. */
const preset = ref<string | null>(null)
const presets = shallowRef<BalancePreset[]>([])
const whole = computed<Region>(() => {
  const { width: across, height: down } = shots.shot!.render.display
  return { x: 0, y: 0, width: across, height: down }
})
const region = ref<Region>({ ...whole.value })
const isWhole = computed(() => region.value.width === whole.value.width)

watch(
  () => [shots.variant?.id, shots.variant?.head, shots.shot?.variants],
  async () => {
    if (!shots.variant) return
    const params = { path: { variant_id: shots.variant.id } }
    try {
      moods.value = (
        await unwrap<{ moods: Mood[] }>(api.GET('/api/variants/{variant_id}/moods', { params }))
      ).moods
    } catch (error) {
      notifications.show(error)
    }
  },
  { immediate: true },
)

const GAP = 14
const WORDS = 64
/** As many columns as make the images largest. */
const tile = computed(() => {
  const count = Math.max(1, moods.value.length)
  const ratio = whole.value.height / whole.value.width
  const sizes = Array.from({ length: Math.min(count, 6) }, (_, index) => {
    const columns = index + 1
    const rows = Math.ceil(count / columns)
    const across = (width.value - (columns - 1) * GAP) / columns
    const down = (height.value - (rows - 1) * GAP) / rows - WORDS
    return Math.floor(Math.max(160, Math.min(across, down / ratio)))
  })
  const best = Math.max(...sizes)
  return { width: best, columns: sizes.indexOf(best) + 1 }
})

function within(next: Region): Region {
  const all = whole.value
  const scale = Math.min(1, Math.max(16 / all.width, next.width / all.width))
  const size = { width: Math.round(all.width * scale), height: Math.round(all.height * scale) }
  const limit = (value: number, most: number) => Math.round(Math.min(Math.max(0, value), most))
  return { ...size, x: limit(next.x, all.width - size.width), y: limit(next.y, all.height - size.height) }
}
function zoom(by: number, at: { x: number; y: number }) {
  const { x, y, width: across, height: down } = region.value
  region.value = within({
    width: across * by,
    height: down * by,
    x: x + at.x * across * (1 - by),
    y: y + at.y * down * (1 - by),
  })
}
function pan(dx: number, dy: number) {
  region.value = within({ ...region.value, x: region.value.x + dx, y: region.value.y + dy })
}

async function open(mood: Mood) {
  await shots.openVariant(mood.id)
  emit('close')
}

/** A difference of one variant, applied to another; it was worked out against the current variant. */
async function apply(from: Mood, index: number, to: Mood) {
  const difference = from.differences[index]
  if (!difference || from.id === to.id) return
  const patch = difference.patch as unknown as PatchStep[]
  const label = `${difference.words}, from ${from.name}`
  if (to.id === shots.variant?.id) return shots.edit(patch, label)
  const body = { base: to.head, patch: patch as unknown as Record<string, never>[], label }
  const params = { path: { variant_id: to.id } }
  await unwrap(api.POST('/api/variants/{variant_id}/edits', { params, body }))
  await shots.reloadShot()
}

function dropped(data: string, to: Mood) {
  if (!data) return
  const [id, index] = JSON.parse(data) as [number, number]
  const from = moods.value.find((mood) => mood.id === id)
  if (from) attempt(apply(from, index, to))
}
const current = computed(() => moods.value.find((mood) => mood.id === shots.variant?.id))
const others = computed(() =>
  shots.shots.filter((one) => one.id !== shots.shot?.id && one.status === 'active'),
)

async function choose(shows = !choosing.value) {
  choosing.value = shows
  if (!shows) return
  const answer = api.GET('/api/balance-presets')
  presets.value = (await unwrap<{ presets: BalancePreset[] }>(answer)).presets
}

/** The levels of a variant, or of a preset, for shots: each gets a new variant. */
async function applyBalance(variant: number, chosen: number[], of: string | null) {
  const params = { path: { variant_id: variant } }
  const body = { shots: chosen, preset: of }
  reports.value = (
    await unwrap<{ reports: BalanceReport[] }>(
      api.POST('/api/variants/{variant_id}/balance/apply', { params, body }),
    )
  ).reports
  targets.value = []
}

function droppedOnShot(event: DragEvent, shot: number) {
  const variant = Number(event.dataTransfer?.getData(VARIANT_DRAG))
  if (variant) attempt(applyBalance(variant, [shot], null))
}
const reportWords = (report: BalanceReport) =>
  [
    `${report.matched.length} levels found`,
    report.waiting.length ? `unresolved: ${report.waiting.map(displayName).join(', ')}` : '',
    report.untouched.length ? `${report.untouched.length} left as they are` : '',
  ]
    .filter(Boolean)
    .join('; ')
const attempt = (work: Promise<unknown>) => void work.catch(notifications.show)
</script>

<template>
  <section class="moods" aria-label="Moods">
    <div class="head">
      <h2>Moods of {{ displayName(shots.shot!.name) }}</h2>
      <span class="quiet">
        What differs from <b>{{ shots.variant?.name }}</b>: click a word to apply it there, or drag it onto
        another image.
      </span>
      <button type="button" :disabled="isWhole" @click="region = { ...whole }">Fit</button>
      <button type="button" :aria-expanded="choosing" @click="attempt(choose())">
        Apply balance to shots…
      </button>
      <a :href="`/api/variants/${shots.variant!.id}/balance`" download>Save balance</a>
      <button type="button" @click="emit('close')">Close</button>
    </div>
    <div v-if="choosing" class="targets" role="group" aria-label="Apply balance to shots">
      <p class="quiet">
        Each chosen shot gets a new variant with these levels by name; nothing that is there changes. Or drag
        the name of a variant onto a shot.
      </p>
      <label>
        Levels of
        <select v-model="preset">
          <option :value="null">{{ shots.variant?.name }}</option>
          <option v-for="one in presets" :key="one.name" :value="one.name">Preset {{ one.name }}</option>
        </select>
      </label>
      <label
        v-for="one in others"
        :key="one.id"
        @dragover.prevent
        @drop.prevent="droppedOnShot($event, one.id)"
      >
        <input v-model="targets" type="checkbox" :value="one.id" /> {{ displayName(one.name) }}
      </label>
      <p v-if="!others.length" class="quiet">There is no other shot.</p>
      <button
        type="button"
        :disabled="!targets.length"
        @click="attempt(applyBalance(shots.variant!.id, targets, preset))"
      >
        Apply
      </button>
      <p v-for="report in reports" :key="report.variant" role="status">
        {{ displayName(report.name) }}: {{ reportWords(report) }}.
      </p>
    </div>
    <div ref="area" class="area">
      <div class="grid" :style="{ gridTemplateColumns: `repeat(${tile.columns}, ${tile.width}px)` }">
        <MoodTile
          v-for="mood in moods"
          :key="mood.id"
          :mood="mood"
          :region="region"
          :is-whole="isWhole"
          :width="tile.width"
          :current="mood.id === shots.variant?.id"
          @open="attempt(open(mood))"
          @take="current && attempt(apply(mood, $event, current))"
          @dropped="dropped($event, mood)"
          @lifted="attempt(choose(true))"
          @zoom="zoom"
          @pan="pan"
        />
      </div>
    </div>
  </section>
</template>

<style scoped>
.moods {
  position: absolute;
  z-index: 6;
  inset: 36px var(--beside, 0) 24px 0;
  display: flex;
  flex-direction: column;
  background: var(--surface-2);
}
.head,
.targets {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 12px;
  align-items: center;
  padding: 8px 14px;
  border-bottom: 1px solid var(--line);
}
.head .quiet {
  flex: 1;
}
.targets p {
  margin: 0;
  width: 100%;
}
h2 {
  margin: 0;
  font-size: 14px;
}
.area {
  flex: 1;
  min-height: 0;
  margin: 12px;
  padding: 2px;
  overflow-y: auto;
}
.grid {
  display: grid;
  gap: 14px;
}
</style>
