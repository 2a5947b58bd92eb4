<script setup lang="ts">
import { computed, ref } from 'vue'
import { NEUTRAL_CDL, NEUTRAL_EXPOSURE } from '@/api/defaults'
import { readCdl } from '@/api/client'
import type { Cdl, Correction, Exposure, Triple } from '@/api/types'
import RulerScale from '@/parts/RulerScale.vue'
import TripleRuler from '@/parts/TripleRuler.vue'
import { factorScale, OFFSET, readout, STOPS, type RulerScale as Scale } from '@/parts/ruler'
import { useShot } from '@/stores/shot'
import { useTroubles } from '@/stores/troubles'
import { useEntries } from '@/stores/useEntries'
import CorrectionList from '@/corrections/CorrectionList.vue'
import WhereWord from '@/mattes/WhereWord.vue'
import ConfigCorrections from './ConfigCorrections.vue'
import PinPanel from '@/stations/looking/PinPanel.vue'
import ScopePanel from '@/stations/looking/ScopePanel.vue'

type Row = { key: 'slope' | 'offset' | 'power'; label: string; scale: Scale; keeps: 'ratio' | 'distance' }

const corrections = useEntries<Correction>('/finish/corrections')
const shots = useShot()
const troubles = useTroubles()
const file = ref<HTMLInputElement>()
const ROWS: Row[] = [
  { key: 'slope', label: 'Slope', scale: factorScale(4, 1), keeps: 'ratio' },
  { key: 'offset', label: 'Offset', scale: OFFSET, keeps: 'distance' },
  { key: 'power', label: 'Power', scale: factorScale(4, 1), keeps: 'ratio' },
]

function firstOf(kind: Correction['kind']) {
  return corrections.all.value.find((c) => c.kind === kind)
}
const exposureKept = computed(() => firstOf('exposure') as Exposure | undefined)
const cdlKept = computed(() => firstOf('cdl') as Cdl | undefined)
const exposure = computed<Exposure>(() => ({ ...NEUTRAL_EXPOSURE, ...exposureKept.value }))
const cdl = computed<Cdl>(() => ({ ...NEUTRAL_CDL, ...cdlKept.value }))
const luts = computed(() =>
  corrections.all.value.flatMap((c) => (c.kind === 'lut' ? [{ id: c.id ?? '', path: c.path }] : [])),
)

/** Exposure comes before everything else, a CDL after what is there. */
function show(kept: Exposure | Cdl, change: object) {
  if (kept.id) corrections.show(kept.id, change)
  else corrections.showNew({ kind: kept.kind, ...change }, kept.kind === 'exposure')
}

function keep(kept: Exposure | Cdl, change: object, label: string) {
  if (kept.id) corrections.keep(kept.id, change, label)
  else void corrections.add({ kind: kept.kind, ...change }, label, kept.kind === 'exposure')
}

const channelsText = (row: Row, value: Triple) =>
  value.map((channel) => readout(row.scale, channel)).join(', ')

const CDL_FILES = ['cc', 'ccc', 'cdl']

/** The browser saves it as any other file. */
function writeCdl(event: Event) {
  const chosen = event.target as HTMLSelectElement
  window.location.assign(`/api/variants/${shots.variant!.id}/cdl?format=${chosen.value}`)
  chosen.value = ''
}

async function takeFile(event: Event) {
  const chosen = (event.target as HTMLInputElement).files?.[0]
  if (!chosen) return
  try {
    keep(cdl.value, await readCdl(chosen), `CDL from ${chosen.name}`)
  } catch (error) {
    troubles.tell(error)
  }
}
</script>

<template>
  <section class="bench-part" aria-label="Exposure">
    <div class="bench-head">
      <h2>Exposure</h2>
      <template v-if="exposureKept">
        <button
          type="button"
          :aria-pressed="!exposure.on"
          @click="keep(exposure, { on: !exposure.on }, 'Exposure on or off')"
        >
          off
        </button>
        <button type="button" @click="corrections.drop(exposure.id, 'Exposure taken away')">take away</button>
      </template>
    </div>
    <RulerScale
      label="Exposure"
      :scale="STOPS"
      :value="exposure.stops"
      @moving="show(exposure, { stops: $event })"
      @settled="keep(exposure, { stops: $event }, `Exposure ${readout(STOPS, $event)} stops`)"
    />
    <WhereWord v-if="exposureKept" :what="corrections.limitable(exposure.id, 'exposure')" />
  </section>
  <section class="bench-part" aria-label="ASC CDL">
    <div class="bench-head">
      <h2>ASC CDL</h2>
      <button type="button" @click="file?.click()">from file</button>
      <input ref="file" type="file" accept=".cdl,.cc,.ccc" hidden @change="takeFile" />
      <template v-if="cdlKept">
        <select aria-label="Write the CDL to a file" :value="''" @change="writeCdl">
          <option value="" disabled>to file</option>
          <option v-for="kind in CDL_FILES" :key="kind" :value="kind">.{{ kind }}</option>
        </select>
        <button type="button" :aria-pressed="!cdl.on" @click="keep(cdl, { on: !cdl.on }, 'CDL on or off')">
          off
        </button>
        <button type="button" @click="corrections.drop(cdl.id, 'CDL taken away')">take away</button>
      </template>
    </div>
    <TripleRuler
      v-for="row in ROWS"
      :key="row.key"
      :label="row.label"
      :scale="row.scale"
      :keeps="row.keeps"
      :value="cdl[row.key] as Triple"
      @moving="show(cdl, { [row.key]: $event })"
      @settled="keep(cdl, { [row.key]: $event }, `${row.label} ${channelsText(row, $event)}`)"
    />
    <RulerScale
      label="Saturation"
      :scale="factorScale(4, 1)"
      :value="cdl.saturation"
      @moving="show(cdl, { saturation: $event })"
      @settled="keep(cdl, { saturation: $event }, 'Saturation')"
    />
    <WhereWord v-if="cdlKept" :what="corrections.limitable(cdl.id, 'the CDL')" />
  </section>
  <CorrectionList
    place="/finish/corrections"
    empty="None beside exposure and CDL. They act in order, after those."
    without="exposure"
  />
  <section v-for="lut in luts" :key="lut.id" class="bench-part" aria-label="LUT file">
    <div class="bench-head">
      <h2>LUT file</h2>
      <button type="button" @click="corrections.drop(lut.id, 'LUT taken away')">take away</button>
    </div>
    <p class="quiet">{{ lut.path }}</p>
  </section>
  <ConfigCorrections />
  <PinPanel />
  <ScopePanel />
</template>
