<script setup lang="ts">
import { displayName } from '@/format'
import { computed, watch, type Component } from 'vue'
import BoardGrid from '@/stations/balance/BoardGrid.vue'
import FootBar from '@/panels/FootBar.vue'
import JobLine from '@/panels/JobLine.vue'
import StationHint from '@/panels/StationHint.vue'
import CurvePart from '@/time/CurvePart.vue'
import TimePanel from '@/time/TimePanel.vue'
import { useLaneLoader } from '@/time/useLaneLoader'
import PathStrip from '@/panels/PathStrip.vue'
import BalanceBench from '@/stations/balance/BalanceBench.vue'
import BeautyBench from '@/stations/beauty/BeautyBench.vue'
import ContactSheet from '@/stations/source/ContactSheet.vue'
import DepthBench from '@/stations/depth/DepthBench.vue'
import DisplayBench from '@/stations/display/DisplayBench.vue'
import FinishBench from '@/stations/finish/FinishBench.vue'
import LensBench from '@/stations/lens/LensBench.vue'
import PlateBench from '@/stations/plate/PlateBench.vue'
import PlateSet from '@/stations/plate/PlateSet.vue'
import SurfaceBench from '@/stations/surface/SurfaceBench.vue'
import SourceBench from '@/stations/source/SourceBench.vue'
import MeasurePanel from '@/measure/MeasurePanel.vue'
import MatteBench from '@/mattes/MatteBench.vue'
import MattePanel from '@/mattes/MattePanel.vue'
import DifferencePanel from '@/stations/beauty/DifferencePanel.vue'
import CompareStrip from '@/viewer/CompareStrip.vue'
import FrameStrip from '@/viewer/FrameStrip.vue'
import ImageView from '@/viewer/ImageView.vue'
import type { StationName } from '@/api/types'
import { useHolds } from '@/stores/holds'
import { useJobs } from '@/stores/jobs'
import { useWorkspace } from '@/stores/workspace'
import { useLanes } from '@/stores/lanes'
import { useMattes } from '@/stores/mattes'
import { useShot } from '@/stores/shot'

const workspace = useWorkspace()
const shots = useShot()
const holds = useHolds()
const jobs = useJobs()
/** An edit that changes how the render is read is proven on every pixel before it is kept. */
const proofs = computed(() =>
  jobs.jobs.filter((job) => job.state === 'running' && job.what === 'analysing passes'),
)
const BENCHES: Record<StationName, Component> = {
  source: SourceBench,
  surface: SurfaceBench,
  balance: BalanceBench,
  beauty: BeautyBench,
  depth: DepthBench,
  plate: PlateBench,
  lens: LensBench,
  finish: FinishBench,
  display: DisplayBench,
}
const LOWER: Partial<Record<StationName, Component>> = {
  balance: BoardGrid,
  beauty: DifferencePanel,
  plate: PlateSet,
}
const bench = computed(() => BENCHES[workspace.station])
watch(
  () => shots.shot?.id,
  () => {
    Object.assign(workspace, {
      frame: null,
      pins: [],
      chosenPin: 0,
      chosen: null,
      chosenToo: [],
      lockedLights: [],
      chosenPasses: [],
    })
    holds.clear()
    mattes.close()
  },
)
const hasFrames = computed(() => Object.keys(shots.shot?.render.frames ?? {}).length > 1)
const mattes = useMattes()
const lanes = useLanes()
useLaneLoader()
const measures = computed(() => workspace.station !== 'source' && !mattes.open)
const lower = computed(() => (mattes.open ? MattePanel : lanes.open ? TimePanel : LOWER[workspace.station]))
const LOWER_NAMES: Partial<Record<StationName, string>> = { balance: 'board', plate: 'layers' }
const lowerName = computed(() =>
  mattes.open ? 'mattes' : lanes.open ? 'lanes' : (LOWER_NAMES[workspace.station] ?? 'difference'),
)
watch(() => workspace.station, mattes.close)
</script>

<template>
  <PathStrip v-if="!workspace.fullScreen" />
  <div class="layout" :class="{ wide: !workspace.benchOpen || workspace.fullScreen }">
    <div class="left">
      <ImageView />
      <div v-if="measures && workspace.measureOver && !workspace.fullScreen" class="measured">
        <MeasurePanel />
      </div>
      <div v-if="workspace.sheetOver" class="over">
        <StationHint class="in-row" />
        <ContactSheet />
      </div>
      <button
        v-else-if="workspace.station === 'source' && !workspace.fullScreen"
        type="button"
        class="back"
        @click="workspace.showSheet()"
      >
        {{ workspace.passShown ? `Pass ${workspace.passShown} · all passes` : 'All passes' }}
      </button>
      <CompareStrip v-if="holds.holds.length" />
      <FrameStrip v-if="hasFrames" />
      <div v-if="lower && !workspace.fullScreen" class="lower" :class="{ folded: !workspace.lowerOpen }">
        <button
          type="button"
          class="fold"
          :aria-label="workspace.lowerOpen ? `Hide panel: ${lowerName}` : `Show panel: ${lowerName}`"
          :aria-expanded="workspace.lowerOpen"
          @click="workspace.lowerOpen = !workspace.lowerOpen"
        >
          {{ workspace.lowerOpen ? 'Hide panel' : 'Show panel' }}
        </button>
        <component :is="lower" v-if="workspace.lowerOpen" />
      </div>
    </div>
    <aside
      v-if="workspace.benchOpen && !workspace.fullScreen"
      class="bench"
      :aria-label="`${displayName(workspace.station)} bench`"
    >
      <div class="tap-row">
        <button
          type="button"
          :aria-pressed="workspace.viewsStation"
          title="View the image at this station instead of at the end"
          @click="workspace.viewsStation = !workspace.viewsStation"
        >
          View at this station
        </button>
        <button
          type="button"
          :aria-pressed="mattes.open"
          title="The mattes of this variant"
          @click="mattes.open ? mattes.close() : mattes.show()"
        >
          Mattes
        </button>
        <button
          type="button"
          :aria-pressed="lanes.open"
          title="Values that move over the frames"
          @click="lanes.open = !lanes.open"
        >
          Over time
        </button>
        <button type="button" aria-label="Hide panel: controls" @click="workspace.benchOpen = false">
          Hide panel
        </button>
      </div>
      <JobLine v-for="job in proofs" :key="job.id" class="proof" :job="job" />
      <MatteBench v-if="mattes.open" />
      <CurvePart v-if="lanes.open && lanes.chosenLane && !mattes.open" />
      <component :is="bench" />
      <MeasurePanel v-if="measures && !workspace.measureOver" />
    </aside>
    <button
      v-else-if="!workspace.fullScreen"
      type="button"
      class="show-controls"
      aria-label="Show panel: controls"
      @click="workspace.benchOpen = true"
    >
      Show panel
    </button>
  </div>
  <FootBar />
</template>

<style scoped>
.layout {
  position: relative;
  display: grid;
  grid-template-columns: minmax(0, 1fr) 356px;
  min-height: 0;
}
.layout.wide {
  grid-template-columns: 1fr;
}
.left {
  display: grid;
  grid-template-rows: minmax(0, 1fr);
  grid-auto-rows: auto;
  grid-template-columns: minmax(0, 1fr);
  min-width: 0;
  min-height: 0;
}
.over {
  display: flex;
  flex-direction: column;
  z-index: 3;
  grid-row: 1;
  grid-column: 1;
  min-height: 0;
  background: var(--surface-2);
}
.over > .in-row {
  position: static;
}
.over > :last-child {
  flex: 1;
  min-height: 0;
}
.left > :deep(.picture) {
  grid-row: 1;
  grid-column: 1;
}
.measured {
  position: relative;
  z-index: 3;
  grid-row: 1;
  grid-column: 1;
  pointer-events: none;
}
.measured > * {
  pointer-events: auto;
}
.back {
  z-index: 3;
  grid-row: 1;
  grid-column: 1;
  place-self: start;
  margin: 8px 14px;
  background: var(--surface-1);
}
.lower {
  position: relative;
  height: max(244px, 54vh - 160px);
  background: var(--surface-2);
  border-top: 1px solid var(--line);
}
.lower.folded {
  height: 24px;
}
.fold,
.show-controls {
  position: absolute;
  z-index: 2;
  right: 4px;
  top: 2px;
  padding: 1px 6px;
  border: 0;
  background: var(--surface-2);
  color: var(--text-3);
  font-size: 12px;
}
.bench {
  display: flex;
  flex-direction: column;
  min-height: 0;
  overflow-y: auto;
  background: var(--surface-2);
  border-left: 1px solid var(--line);
}
.tap-row {
  display: flex;
  justify-content: space-between;
  padding: 6px 8px 0 8px;
}
.proof {
  padding: 6px 14px;
}
.tap-row button {
  border: 0;
  background: none;
  color: var(--text-3);
  font-size: 12px;
}
.tap-row button[aria-pressed='true'] {
  color: var(--accent);
}
</style>
