<script setup lang="ts">
import { computed, ref } from 'vue'
import { readCdl } from '@/api/client'
import type { Variant } from '@/api/types'
import RulerScale from '@/parts/RulerScale.vue'
import { factorScale, OFFSET, readout, STOPS, type RulerScale as Scale } from '@/parts/ruler'
import { useShot } from '@/stores/shot'
import { useTroubles } from '@/stores/troubles'
import ConfigCorrections from './ConfigCorrections.vue'
import PinPanel from '@/stations/looking/PinPanel.vue'
import ScopePanel from '@/stations/looking/ScopePanel.vue'

type Correction = NonNullable<NonNullable<Variant['finish']>['corrections']>[number]
type Exposure = Extract<Correction, { kind?: 'exposure' }>
type CdlPart = Extract<Correction, { kind?: 'cdl' }>
type Triple = [number, number, number]
type CdlRow = { key: 'slope' | 'offset' | 'power'; label: string; scale: Scale; neutral: Triple }

const shots = useShot()
const troubles = useTroubles()
const file = ref<HTMLInputElement>()
const corrections = computed<Correction[]>(() => shots.document?.finish?.corrections ?? [])
const exposure = computed(() => corrections.value.find((c) => c.kind === 'exposure') as Exposure | undefined)
const cdl = computed(() => corrections.value.find((c) => c.kind === 'cdl') as CdlPart | undefined)
const luts = computed(() => corrections.value.filter((c) => c.kind === 'lut'))
const ROWS: CdlRow[] = [
  { key: 'slope', label: 'Slope', scale: factorScale(4, 1), neutral: [1, 1, 1] },
  { key: 'offset', label: 'Offset', scale: OFFSET, neutral: [0, 0, 0] },
  { key: 'power', label: 'Power', scale: factorScale(4, 1), neutral: [1, 1, 1] },
]
const CHANNELS = ['red', 'green', 'blue']

function withChange(kind: 'exposure' | 'cdl', change: object): Correction[] {
  const known = corrections.value.find((c) => c.kind === kind)
  if (known) return corrections.value.map((c) => (c === known ? ({ ...c, ...change } as Correction) : c))
  const made = { kind, ...change } as Correction
  return kind === 'exposure' ? [made, ...corrections.value] : [...corrections.value, made]
}

function patch(next: Correction[]) {
  return [{ op: 'replace' as const, path: '/finish/corrections', value: next }]
}

function show(kind: 'exposure' | 'cdl', change: object) {
  shots.preview(patch(withChange(kind, change)))
}

function keep(kind: 'exposure' | 'cdl', change: object, label: string) {
  void shots.edit(patch(withChange(kind, change)), label)
}

function triple(row: CdlRow): Triple {
  return (cdl.value?.[row.key] as Triple | undefined) ?? row.neutral
}

function placed(row: CdlRow, channel: number, value: number): object {
  return { [row.key]: triple(row).map((old, i) => (i === channel ? value : old)) }
}

function drop(kind: string) {
  void shots.edit(patch(corrections.value.filter((c) => c.kind !== kind)), `${kind} taken away`)
}

async function takeFile(event: Event) {
  const chosen = (event.target as HTMLInputElement).files?.[0]
  if (!chosen) return
  try {
    keep('cdl', await readCdl(chosen), `CDL from ${chosen.name}`)
  } catch (error) {
    troubles.tell(error)
  }
}
</script>

<template>
  <section class="bench-part" aria-label="Exposure">
    <div class="bench-head">
      <h2>Exposure</h2>
      <button
        v-if="exposure"
        type="button"
        :aria-pressed="exposure.on === false"
        @click="keep('exposure', { on: exposure.on === false }, 'Exposure on or off')"
      >
        off
      </button>
      <button v-if="exposure" type="button" @click="drop('exposure')">take away</button>
    </div>
    <RulerScale
      label="Exposure"
      :scale="STOPS"
      :value="exposure?.stops ?? 0"
      @moving="show('exposure', { stops: $event })"
      @settled="keep('exposure', { stops: $event }, `Exposure ${readout(STOPS, $event)} stops`)"
    />
  </section>
  <section class="bench-part" aria-label="ASC CDL">
    <div class="bench-head">
      <h2>ASC CDL</h2>
      <button type="button" @click="file?.click()">from file</button>
      <input ref="file" type="file" accept=".cdl,.cc,.ccc" hidden @change="takeFile" />
      <button
        v-if="cdl"
        type="button"
        :aria-pressed="cdl.on === false"
        @click="keep('cdl', { on: cdl.on === false }, 'CDL on or off')"
      >
        off
      </button>
      <button v-if="cdl" type="button" @click="drop('cdl')">take away</button>
    </div>
    <template v-for="row in ROWS" :key="row.key">
      <RulerScale
        v-for="(channel, i) in CHANNELS"
        :key="channel"
        :label="`${row.label} ${channel}`"
        :scale="row.scale"
        :value="triple(row)[i]!"
        @moving="show('cdl', placed(row, i, $event))"
        @settled="
          keep('cdl', placed(row, i, $event), `${row.label} ${channel} ${readout(row.scale, $event)}`)
        "
      />
    </template>
    <RulerScale
      label="Saturation"
      :scale="factorScale(4, 1)"
      :value="cdl?.saturation ?? 1"
      @moving="show('cdl', { saturation: $event })"
      @settled="keep('cdl', { saturation: $event }, 'Saturation')"
    />
  </section>
  <section v-for="lut in luts" :key="lut.kind" class="bench-part">
    <div class="bench-head">
      <h2>LUT file</h2>
      <button type="button" @click="drop('lut')">take away</button>
    </div>
    <p class="quiet">{{ 'path' in lut ? lut.path : '' }}</p>
  </section>
  <ConfigCorrections />
  <PinPanel />
  <ScopePanel />
</template>
