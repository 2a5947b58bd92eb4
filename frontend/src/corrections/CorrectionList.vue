<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Correction, Preset } from '@/api/types'
import { useShot } from '@/stores/shot'
import { useEntries } from '@/stores/useEntries'
import CorrectionRow from './CorrectionRow.vue'
import { KIND_BY_NAME, type Kind } from './kinds'
import KindChoice from './KindChoice.vue'
import { usePresets } from './usePresets'

/** Corrections at one place of the path as sentences, in the order in which they act. */
const props = defineProps<{
  place: string
  /** What the list says while it is empty. */
  empty: string
  /** A kind that has a place of its own there. */
  without?: Correction['kind']
  /** At Balance: the light, the component or both that they act on. */
  of?: { light: string | null; component: string | null }
}>()
const corrections = useEntries<Correction>(props.place)
const shots = useShot()
const isOf = (c: Correction) => JSON.stringify(c.of ?? null) === JSON.stringify(props.of ?? null)
const listed = computed(() =>
  corrections.all.value.filter((c) => KIND_BY_NAME.has(c.kind) && c.kind !== props.without && isOf(c)),
)
const opened = ref('')
const choosing = ref(false)
const made = (kind: Kind) => ({ kind: kind.kind, ...kind.start, ...(props.of ? { of: props.of } : {}) })

async function add(kind: Kind) {
  choosing.value = false
  opened.value = (await corrections.add(made(kind), `${kind.words} laid on`))?.id ?? ''
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
  choosing.value = false
  const patch = preset.corrections.map((correction) => ({
    op: 'add' as const,
    path: `${props.place}/-`,
    value: { ...correction, ...(props.of ? { of: props.of } : {}) },
  }))
  void shots.edit(patch, `preset ${preset.name} laid on`)
}

/** One place earlier or later among those that are listed. */
function move(correction: Correction, by: number) {
  const at = listed.value.indexOf(correction) + by
  const beside = listed.value[at]
  if (beside) corrections.move(correction, beside, `${KIND_BY_NAME.get(correction.kind)!.words} moved`)
}

/** A copy at another place of the path. */
function copy(correction: Correction, to: string) {
  const words = KIND_BY_NAME.get(correction.kind)!.words
  const value = { ...correction, id: '', of: null }
  void shots.edit([{ op: 'add', path: `${to}/-`, value }], `${words} copied to ${to.split('/')[1]}`)
}
</script>

<template>
  <section class="bench-part" aria-label="Corrections">
    <div class="bench-head">
      <h2>Corrections</h2>
      <button type="button" :aria-expanded="choosing" @click="choosing = !choosing">add</button>
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
    <KindChoice v-if="choosing" :place="place" :made="made" :without="without" @chosen="add" />
    <form v-if="listed.length && !choosing" class="presets" @submit.prevent="keepAll">
      <input v-model="wanted" aria-label="Name of the preset" maxlength="120" placeholder="keep as preset" />
      <button type="submit" :disabled="!wanted.trim()">keep</button>
    </form>
    <p v-if="!listed.length && !choosing" class="quiet">
      {{ empty }}
    </p>
    <CorrectionRow
      v-for="correction in listed"
      :key="correction.id"
      :correction="correction"
      :kind="KIND_BY_NAME.get(correction.kind)!"
      :what="corrections.limitable(correction.id!, KIND_BY_NAME.get(correction.kind)!.words)"
      :place="place"
      :open="opened === correction.id"
      @toggle="opened = opened === correction.id ? '' : (correction.id ?? '')"
      @moving="corrections.show(correction.id!, $event)"
      @settled="(change, label) => corrections.keep(correction.id!, change, label)"
      @earlier="move(correction, -1)"
      @later="move(correction, 1)"
      @copy="copy(correction, $event)"
      @drop="corrections.drop(correction.id!, `${KIND_BY_NAME.get(correction.kind)!.words} taken away`)"
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
