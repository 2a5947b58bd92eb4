<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Correction } from '@/api/types'
import { useCorrections } from '@/stores/useCorrections'
import CorrectionRow from './CorrectionRow.vue'
import { KIND_BY_NAME, KINDS, type Kind } from './kinds'

/** Corrections at one place of the path as sentences, in the order in which they act. */
const props = defineProps<{
  place: string
  /** What the list says while it is empty. */
  empty: string
  /** A kind that has a place of its own there. */
  without?: Correction['kind']
}>()
const corrections = useCorrections(props.place)
const listed = computed(() =>
  corrections.all.value.filter((c) => KIND_BY_NAME.has(c.kind) && c.kind !== props.without),
)
const opened = ref('')
const choosing = ref(false)

function add(kind: Kind) {
  choosing.value = false
  corrections.add({ kind: kind.kind, ...kind.start }, `${kind.words} laid on`)
}

/** One place earlier or later among all corrections of the list. */
function move(correction: Correction, by: number) {
  const at = listed.value.indexOf(correction) + by
  const beside = listed.value[at]
  if (beside) corrections.move(correction, beside, `${KIND_BY_NAME.get(correction.kind)!.words} moved`)
}
</script>

<template>
  <section class="bench-part" aria-label="Corrections">
    <div class="bench-head">
      <h2>Corrections</h2>
      <button type="button" :aria-expanded="choosing" @click="choosing = !choosing">add</button>
    </div>
    <div v-if="choosing" class="kinds" role="group" aria-label="Kinds of corrections">
      <button
        v-for="kind in KINDS.filter((one) => one.kind !== without)"
        :key="kind.kind"
        type="button"
        :title="kind.hint"
        @click="add(kind)"
      >
        {{ kind.words }}
      </button>
    </div>
    <p v-if="!listed.length && !choosing" class="quiet">
      {{ empty }}
    </p>
    <CorrectionRow
      v-for="correction in listed"
      :key="correction.id"
      :correction="correction"
      :kind="KIND_BY_NAME.get(correction.kind)!"
      :open="opened === correction.id"
      @toggle="opened = opened === correction.id ? '' : (correction.id ?? '')"
      @moving="corrections.show(correction.id!, $event)"
      @settled="(change, label) => corrections.keep(correction.id!, change, label)"
      @earlier="move(correction, -1)"
      @later="move(correction, 1)"
      @drop="corrections.drop(correction.id!, `${KIND_BY_NAME.get(correction.kind)!.words} taken away`)"
    />
  </section>
</template>

<style scoped>
.kinds {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
}
</style>
