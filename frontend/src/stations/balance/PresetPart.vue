<script setup lang="ts">
import { onMounted, ref, shallowRef } from 'vue'
import { api, unwrap } from '@/api/client'
import type { BalancePreset, PatchStep, PresetPlan } from '@/api/types'
import { displayName, pluralise } from '@/format'
import { useNotifications } from '@/stores/notifications'
import { useShot } from '@/stores/shot'

/** Balance presets: the levels of a variant under a name, applied to this variant, saved as files. */
const shots = useShot()
const notifications = useNotifications()
const presets = shallowRef<BalancePreset[]>([])
const name = ref('')
const report = ref('')
const file = ref<HTMLInputElement>()

onMounted(() => attempt(load()))
async function load() {
  const answer = api.GET('/api/balance-presets')
  presets.value = (await unwrap<{ presets: BalancePreset[] }>(answer)).presets
}
const attempt = (work: Promise<unknown>) => void work.catch(notifications.show)

async function apply(preset: BalancePreset) {
  const body = { name: preset.name, variant: shots.variant!.id }
  const plan = await unwrap<PresetPlan>(api.POST('/api/balance-presets/plan', { body }))
  await shots.edit(plan.patch as unknown as PatchStep[], `Preset ${preset.name}`)
  report.value = [
    `${preset.name}: ${pluralise(plan.matched.length, 'level')} applied`,
    plan.waiting.length ? `unresolved: ${plan.waiting.map(displayName).join(', ')}` : '',
    plan.untouched.length ? `${plan.untouched.length} left as they are` : '',
  ]
    .filter(Boolean)
    .join('; ')
}

async function keep() {
  const body = { name: name.value.trim(), variant: shots.variant!.id, preset: null }
  await unwrap(api.PUT('/api/balance-presets', { body }))
  name.value = ''
  await load()
}

/** A preset file, kept under its own name. */
async function open(event: Event) {
  const input = event.target as HTMLInputElement
  const chosen = input.files?.[0]
  input.value = ''
  if (!chosen) return
  let preset: never
  try {
    preset = JSON.parse(await chosen.text()) as never
  } catch {
    throw new Error(`${chosen.name} is not a balance preset: it holds no JSON.`)
  }
  const body = { name: chosen.name.replace(/\.json$/i, ''), variant: null, preset }
  await unwrap(api.PUT('/api/balance-presets', { body }))
  await load()
}

async function remove(preset: BalancePreset) {
  await unwrap(api.DELETE('/api/balance-presets', { params: { query: { name: preset.name } } }))
  await load()
}
</script>

<template>
  <section class="bench-part" aria-label="Balance presets">
    <div class="bench-head">
      <h2>Presets</h2>
      <span v-if="!presets.length" class="quiet">none yet</span>
    </div>
    <div v-for="preset in presets" :key="preset.name" class="row">
      <span class="name" :title="preset.levels.map(displayName).join(', ')">{{ preset.name }}</span>
      <button type="button" :aria-label="`Apply ${preset.name}`" @click="attempt(apply(preset))">
        Apply
      </button>
      <a :href="`/api/balance-presets/file?name=${encodeURIComponent(preset.name)}`" download>Save as file</a>
      <button
        type="button"
        class="plain"
        :aria-label="`Remove ${preset.name}`"
        @click="attempt(remove(preset))"
      >
        Remove
      </button>
    </div>
    <form class="row" @submit.prevent="attempt(keep())">
      <input v-model="name" maxlength="120" aria-label="Balance preset name" placeholder="Preset name" />
      <button type="submit" :disabled="!name.trim()">Save levels</button>
      <button type="button" @click="file?.click()">Open file…</button>
      <input
        ref="file"
        type="file"
        accept=".json"
        hidden
        aria-label="Balance preset file"
        @change="attempt(open($event))"
      />
    </form>
    <p v-if="report" role="status">{{ report }}.</p>
  </section>
</template>

<style scoped>
.row {
  display: flex;
  gap: 6px;
  align-items: center;
}
.name,
.row input {
  flex: 1;
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.plain {
  border-color: transparent;
  background: none;
}
</style>
