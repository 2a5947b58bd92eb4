<script setup lang="ts">
import { displayName } from '@/format'
import Select from 'primevue/select'
import { computed, ref } from 'vue'
import type { Correction, Preset } from '@/api/types'
import { useRowDrag } from '@/widgets/useRowDrag'
import { useShot } from '@/stores/shot'
import { useColourOffer } from '@/composables/useColourOffer'
import { useEntries } from '@/composables/useEntries'
import CorrectionRow from './CorrectionRow.vue'
import { KIND_BY_NAME, titleOf, type Kind } from './kinds'
import KindChoice from './KindChoice.vue'
import { usePresets } from './usePresets'

/** Corrections at one place of the path as sentences, in the order in which they act. */
const props = defineProps<{
  place: string
  /** At Balance: the light, the component or both that they act on. */
  of?: { light: string | null; component: string | null }
}>()
const corrections = useEntries<Correction>(props.place)
const shots = useShot()
const isOf = (c: Correction) => JSON.stringify(c.of ?? null) === JSON.stringify(props.of ?? null)
const listed = computed(() => corrections.all.value.filter((c) => KIND_BY_NAME.has(c.kind) && isOf(c)))
const opened = ref('')
const adding = ref(false)
/** An empty list shows the kinds at once. */
const choosing = computed(() => adding.value || !listed.value.length)
const nameOf = (correction: Correction) => titleOf(KIND_BY_NAME.get(correction.kind)!)
const made = (kind: Kind) => ({ kind: kind.kind, ...kind.start, ...(props.of ? { of: props.of } : {}) })

function add(kind: Kind) {
  adding.value = false
  const [id] = corrections.add([made(kind)], `${titleOf(kind)} added`)
  opened.value = id!
}

/** Looks and named transforms of the colour config act at Finish. */
const { offer } = useColourOffer()
const configNames = computed(() =>
  props.place === '/finish/corrections'
    ? [...(offer.value?.looks ?? []), ...(offer.value?.named_transforms ?? [])]
    : [],
)

function addConfig(name: string) {
  adding.value = false
  const config = { kind: 'config', name }
  corrections.add([config], `${name} added`)
}

const { presets, keep } = usePresets()
const wanted = ref('')

/** All that is listed here, under a name. */
function keepAll() {
  void keep(wanted.value.trim(), listed.value)
  wanted.value = ''
}

/** The corrections of a preset after those that are here, as one edit. */
function lay(preset: Preset) {
  adding.value = false
  const laid = preset.corrections.map((correction) => ({
    ...correction,
    ...(props.of ? { of: props.of } : {}),
  }))
  corrections.add(laid, `Preset ${preset.name} applied`)
}

/** To the place of another that is listed. */
function moveTo(correction: Correction | undefined, to: Correction | undefined) {
  if (correction && to) corrections.move(correction, to, `${nameOf(correction)} moved`)
}

function move(correction: Correction, by: number) {
  moveTo(correction, listed.value[listed.value.indexOf(correction) + by])
}

const byId = (id: string) => listed.value.find((one) => one.id === id)
const drag = useRowDrag((id, to) => moveTo(byId(id), byId(to)))

/** A copy at another place of the path. */
function copy(correction: Correction, to: string) {
  const value = { ...correction, id: '', of: null }
  void shots.edit(
    [{ op: 'add', path: `${to}/-`, value }],
    `${nameOf(correction)} copied to ${displayName(to.split('/')[1]!)}`,
  )
}
</script>

<template>
  <section class="bench-part" aria-label="Corrections">
    <div class="bench-head">
      <h2>Corrections</h2>
      <button v-if="listed.length" type="button" :aria-expanded="adding" @click="adding = !adding">
        Add correction
      </button>
    </div>
    <div v-if="choosing && presets.length" class="presets" role="group" aria-label="Presets">
      <button
        v-for="preset in presets"
        :key="preset.name"
        type="button"
        :title="preset.corrections.map((c) => KIND_BY_NAME.get(c.kind)?.words ?? c.kind).join(', ')"
        @click="lay(preset)"
      >
        {{ preset.name }}
      </button>
    </div>
    <KindChoice v-if="choosing" :place="place" :made="made" @chosen="add" />
    <Select
      v-if="choosing && configNames.length"
      :model-value="null"
      :options="configNames"
      placeholder="Add look or named transform"
      aria-label="Add look or named transform"
      @update:model-value="addConfig"
    />
    <form v-if="listed.length && !adding" class="presets" @submit.prevent="keepAll">
      <input v-model="wanted" aria-label="Preset name" maxlength="120" placeholder="Preset name" />
      <button type="submit" :disabled="!wanted.trim()">Save preset</button>
    </form>
    <CorrectionRow
      v-for="correction in listed"
      :key="correction.id"
      :correction="correction"
      :kind="KIND_BY_NAME.get(correction.kind)!"
      :what="corrections.matteTarget(correction.id!, KIND_BY_NAME.get(correction.kind)!.words)"
      :place="place"
      :open="opened === correction.id"
      :handle="drag.handle(correction.id!)"
      v-bind="drag.row(correction.id!)"
      @toggle="opened = opened === correction.id ? '' : (correction.id ?? '')"
      @moving="corrections.show(correction.id!, $event)"
      @settled="(change, label) => corrections.keep(correction.id!, change, label)"
      @earlier="move(correction, -1)"
      @later="move(correction, 1)"
      @copy="copy(correction, $event)"
      @remove="corrections.drop(correction.id!, `${nameOf(correction)} removed`)"
    />
  </section>
</template>

<style scoped>
.presets {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
}
input {
  flex: 1;
  min-width: 0;
  padding: 2px 6px;
  border: 1px solid var(--line);
  background: var(--well);
  color: inherit;
  font: inherit;
}
</style>
