<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core'
import { computed, onMounted, ref, shallowRef, watch } from 'vue'
import { api, unwrap } from '@/api/client'
import type { DeliveryCheck, DeliveryFile, DeliveryPreset, NewDelivery } from '@/api/types'
import { useColourOffer } from '@/composables/useColourOffer'
import { pluralise } from '@/format'
import { useJobs } from '@/stores/jobs'
import { useNotifications } from '@/stores/notifications'
import { useShot } from '@/stores/shot'
import { useWorkspace } from '@/stores/workspace'
import DeliveryList from './DeliveryList.vue'
import FileEditor from './FileEditor.vue'
import { fileSentence, framesOf, framesText } from './fileWords'
import { downloadPreset, useDeliveryPresets } from './useDeliveryPresets'

/** Presets as sentences, what is found before anything is written, and the deliveries of the variant. */
const emit = defineEmits<{ close: [] }>()
const jobs = useJobs()
const shots = useShot()
const workspace = useWorkspace()
const notifications = useNotifications()
const { presets, load, keep, remove } = useDeliveryPresets()
const { offer } = useColourOffer()

const chosen = ref<string[]>(['EXR for compositing'])
const edited = ref<DeliveryPreset | null>(null)
const editedName = ref('')
const workers = ref(1)
const frameText = ref('')
const check = shallowRef<DeliveryCheck | null>(null)
const isBeginning = ref(false)

const all = computed(() =>
  Object.keys(shots.shot?.render.frames ?? {})
    .map(Number)
    .sort((one, other) => one - other),
)
const frames = computed(() => framesOf(frameText.value, all.value))
const inputSpace = computed(() => shots.variant?.delivery_space ?? '')
const files = computed(() =>
  presets.value.filter((preset) => chosen.value.includes(preset.name)).flatMap((preset) => preset.files),
)
const body = computed(() => ({
  files: files.value,
  frames: frames.value && frames.value.length < all.value.length ? frames.value : [],
  workers: workers.value,
  name: presets.value
    .filter((preset) => chosen.value.includes(preset.name))
    .map((preset) => preset.name)
    .join(', '),
}))
const canExport = computed(() => !!check.value?.files && !!frames.value && !isBeginning.value)
const MARKS = { ok: '✓', warning: '!', error: '✕' } as const

onMounted(load)

const look = useDebounceFn(async () => {
  const variant = shots.variant
  if (!variant || !files.value.length || !frames.value) {
    check.value = null
    return
  }
  try {
    const params = { path: { variant_id: variant.id } }
    check.value = await unwrap<DeliveryCheck>(
      api.POST('/api/variants/{variant_id}/deliveries/check', {
        params,
        body: body.value as unknown as NewDelivery,
      }),
    )
  } catch (error) {
    notifications.show(error)
  }
}, 200)
watch([body, () => shots.variant?.head, () => shots.variant?.id], look, { immediate: true })

function toggle(name: string) {
  chosen.value = chosen.value.includes(name)
    ? chosen.value.filter((one) => one !== name)
    : [...chosen.value, name]
}

function edit(preset: DeliveryPreset) {
  edited.value = edited.value?.name === preset.name ? null : preset
  editedName.value = preset.shipped ? `${preset.name}, own` : preset.name
  draft.value = { ...preset.files[0]! }
}
const draft = ref<DeliveryFile>({ what: 'result', format: 'exr' } as DeliveryFile)

async function save() {
  const name = editedName.value.trim()
  const others = edited.value?.files.slice(1) ?? []
  if (!name || !(await keep(name, [draft.value, ...others]))) return
  chosen.value = [...chosen.value.filter((one) => one !== edited.value?.name && one !== name), name]
  edited.value = null
}

async function drop(name: string) {
  await remove(name)
  chosen.value = chosen.value.filter((one) => one !== name)
  edited.value = null
}

async function bringIn(event: Event) {
  const input = event.target as HTMLInputElement
  const file = input.files?.[0]
  input.value = ''
  if (!file) return
  try {
    const found = JSON.parse(await file.text()) as { escala?: string; name?: string; files?: DeliveryFile[] }
    if (found.escala !== 'delivery' || !Array.isArray(found.files)) throw new Error()
    await keep(found.name || file.name.replace(/\.json$/, ''), found.files)
  } catch {
    notifications.show(new Error(`${file.name} is not a delivery preset.`))
  }
}

async function deliver() {
  if (!shots.variant) return
  isBeginning.value = true
  try {
    const params = { path: { variant_id: shots.variant.id } }
    await jobs.begin(
      api.POST('/api/variants/{variant_id}/deliveries', {
        params,
        body: body.value as unknown as NewDelivery,
      }),
    )
  } catch (error) {
    notifications.show(error)
  } finally {
    isBeginning.value = false
  }
}
</script>

<template>
  <aside class="deliver" aria-label="Export">
    <div class="bench-head">
      <h2>Export {{ shots.variant?.name }}</h2>
      <button type="button" @click="emit('close')">Close</button>
    </div>
    <ul class="presets" aria-label="Delivery presets">
      <li v-for="preset in presets" :key="preset.name">
        <label class="preset">
          <input type="checkbox" :checked="chosen.includes(preset.name)" @change="toggle(preset.name)" />
          <span>
            <span v-for="(file, index) in preset.files" :key="index" class="sentence">
              {{ fileSentence(file, inputSpace) }}
            </span>
            <span class="quiet">{{ preset.name }}</span>
          </span>
        </label>
        <button
          type="button"
          class="plain"
          :aria-expanded="edited?.name === preset.name"
          @click="edit(preset)"
        >
          Edit
        </button>
        <div v-if="edited?.name === preset.name" class="editor">
          <FileEditor v-model="draft" :offer="offer" :input-space="inputSpace" />
          <div class="row">
            <label for="preset-name">Preset name</label>
            <input id="preset-name" v-model="editedName" />
            <button type="button" class="go" @click="save">Save preset</button>
          </div>
          <div class="row">
            <button type="button" @click="downloadPreset(preset)">Export preset file</button>
            <button v-if="!preset.shipped" type="button" @click="drop(preset.name)">Remove preset</button>
          </div>
        </div>
      </li>
    </ul>
    <div class="row">
      <label for="frames">Frames</label>
      <input
        id="frames"
        v-model="frameText"
        class="short"
        :placeholder="framesText(all)"
        :aria-invalid="frames === null"
      />
      <label for="workers">Workers</label>
      <input id="workers" v-model.number="workers" class="number" type="number" min="1" max="16" />
      <label class="import">
        <input type="file" accept=".json" @change="bringIn" />
        Import preset…
      </label>
      <button type="button" class="go" :disabled="!canExport" @click="deliver">
        {{ check?.files ? `Export ${pluralise(check.files, 'file')}` : 'Export' }}
      </button>
    </div>
    <p v-if="frames === null" class="warning">No such frames: write ranges as in 1-12, 15.</p>
    <section class="findings" aria-label="Before writing">
      <h3>Before writing</h3>
      <p v-if="!files.length" class="quiet">Choose at least one preset.</p>
      <ul v-else-if="check" aria-live="polite">
        <li v-for="finding in check.findings" :key="finding.text" :class="finding.level">
          <span aria-hidden="true">{{ MARKS[finding.level] }}</span> {{ finding.text }}
          <button
            v-if="finding.clips"
            type="button"
            :aria-pressed="workspace.aids.marks"
            title="Mark clipped pixels in the viewer"
            @click="workspace.aids = { ...workspace.aids, marks: !workspace.aids.marks }"
          >
            Show clipped pixels
          </button>
        </li>
      </ul>
    </section>
    <DeliveryList />
  </aside>
</template>

<style scoped>
.deliver {
  position: absolute;
  z-index: 5;
  top: 90px;
  right: var(--beside, 0);
  height: calc(100vh - 114px);
  overflow-y: auto;
  display: grid;
  align-content: start;
  gap: 10px;
  width: 520px;
  padding: 12px 16px 16px;
  background: var(--surface-2);
  border: 1px solid var(--line);
}
ul {
  margin: 0;
  padding: 0;
  list-style: none;
}
.presets li {
  display: grid;
  grid-template-columns: 1fr auto;
  align-items: start;
  gap: 4px 8px;
  padding: 5px 0;
  border-bottom: 1px solid var(--line);
}
.preset {
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 8px;
  cursor: pointer;
}
.preset input {
  margin: 2px 0 0;
  accent-color: var(--accent);
}
.sentence {
  display: block;
}
.quiet {
  color: var(--text-2);
  font-size: 12px;
}
.plain {
  border-color: transparent;
  color: var(--text-2);
}
.editor {
  grid-column: 1 / 3;
  display: grid;
  gap: 8px;
  padding: 8px 0 4px 22px;
}
.row {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px;
}
.row label {
  color: var(--text-2);
  font-size: 12px;
}
.row .go {
  margin-left: auto;
}
.short {
  width: 88px;
}
.number {
  width: 52px;
}
.import {
  cursor: pointer;
  text-decoration: underline dotted;
}
.import input {
  position: absolute;
  width: 1px;
  height: 1px;
  opacity: 0;
}
.import:focus-within {
  outline: 2px solid var(--accent);
}
h3 {
  margin: 0 0 4px;
  font-size: 13px;
}
.findings {
  padding-top: 8px;
  border-top: 1px solid var(--line);
}
.findings li {
  display: grid;
  grid-template-columns: 14px 1fr;
}
.findings button {
  grid-column: 2;
  justify-self: start;
  margin: 4px 0;
}
.findings .ok span {
  color: var(--match);
}
.findings .warning span,
.findings .error,
p.warning {
  color: var(--warning);
}
p {
  margin: 0;
  overflow-wrap: anywhere;
}
</style>
