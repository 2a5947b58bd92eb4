<script setup lang="ts">
import { computed, watch, type Component } from 'vue'
import BoardGrid from '@/board/BoardGrid.vue'
import FootBar from '@/parts/FootBar.vue'
import JobLine from '@/parts/JobLine.vue'
import StationHint from '@/parts/StationHint.vue'
import PathStrip from '@/path/PathStrip.vue'
import BalanceBench from '@/stations/balance/BalanceBench.vue'
import BeautyBench from '@/stations/beauty/BeautyBench.vue'
import ContactSheet from '@/stations/source/ContactSheet.vue'
import DepthBench from '@/stations/depth/DepthBench.vue'
import DisplayBench from '@/stations/display/DisplayBench.vue'
import FinishBench from '@/stations/finish/FinishBench.vue'
import LensBench from '@/stations/lens/LensBench.vue'
import QuietBench from '@/stations/QuietBench.vue'
import SurfaceBench from '@/stations/surface/SurfaceBench.vue'
import SourceBench from '@/stations/source/SourceBench.vue'
import MeasurePanel from '@/stations/looking/MeasurePanel.vue'
import MatteBench from '@/mattes/MatteBench.vue'
import MatteShelf from '@/mattes/MatteShelf.vue'
import DifferencePanel from '@/tally/DifferencePanel.vue'
import CompareStrip from '@/viewer/CompareStrip.vue'
import FrameStrip from '@/viewer/FrameStrip.vue'
import PictureView from '@/viewer/PictureView.vue'
import type { StationName } from '@/api/types'
import { spoken } from '@/stores/levels'
import { useHolds } from '@/stores/holds'
import { useJobs } from '@/stores/jobs'
import { useRoom } from '@/stores/room'
import { useShelf } from '@/stores/shelf'
import { useShot } from '@/stores/shot'

const room = useRoom()
const shots = useShot()
const holds = useHolds()
const jobs = useJobs()
/** An edit that changes how the render is read is proven on every pixel before it is kept. */
const proofs = computed(() =>
  jobs.jobs.filter((job) => job.state === 'running' && job.what === 'analysing passes'),
)
const BENCHES: Partial<Record<StationName, Component>> = {
  source: SourceBench,
  surface: SurfaceBench,
  balance: BalanceBench,
  beauty: BeautyBench,
  depth: DepthBench,
  lens: LensBench,
  finish: FinishBench,
  display: DisplayBench,
}
const LOWER: Partial<Record<StationName, Component>> = {
  balance: BoardGrid,
  beauty: DifferencePanel,
}
const bench = computed(() => BENCHES[room.station] ?? QuietBench)
watch(
  () => shots.shot?.id,
  () => {
    Object.assign(room, { frame: null, pins: [], chosenPin: 0, chosen: null, chosenPasses: [] })
    holds.clear()
    shelf.close()
  },
)
const hasFrames = computed(() => Object.keys(shots.shot?.render.frames ?? {}).length > 1)
const shelf = useShelf()
const measures = computed(() => room.station !== 'source' && !shelf.open)
const lower = computed(() => (shelf.open ? MatteShelf : LOWER[room.station]))
const lowerName = computed(() =>
  shelf.open ? 'mattes' : room.station === 'balance' ? 'board' : 'difference',
)
watch(() => room.station, shelf.close)
</script>

<template>
  <PathStrip v-if="!room.bare" />
  <div class="room" :class="{ wide: !room.benchOpen || room.bare }">
    <div class="left">
      <PictureView />
      <div v-if="measures && room.measureOver && !room.bare" class="measured"><MeasurePanel /></div>
      <div v-if="room.sheetOver" class="over">
        <StationHint class="in-row" />
        <ContactSheet />
      </div>
      <button
        v-else-if="room.station === 'source' && !room.bare"
        type="button"
        class="back"
        @click="room.showSheet()"
      >
        {{ room.passShown ? `Pass ${room.passShown} · all passes` : 'All passes' }}
      </button>
      <CompareStrip v-if="holds.holds.length" />
      <FrameStrip v-if="hasFrames" />
      <div v-if="lower && !room.bare" class="lower" :class="{ folded: !room.lowerOpen }">
        <button
          type="button"
          class="fold"
          :aria-label="room.lowerOpen ? `Hide ${lowerName}` : `Show ${lowerName}`"
          :aria-expanded="room.lowerOpen"
          @click="room.lowerOpen = !room.lowerOpen"
        >
          {{ room.lowerOpen ? 'Hide panel' : 'Show panel' }}
        </button>
        <component :is="lower" v-if="room.lowerOpen" />
      </div>
    </div>
    <aside v-if="room.benchOpen && !room.bare" class="bench" :aria-label="`${spoken(room.station)} bench`">
      <div class="tap-row">
        <button
          type="button"
          :aria-pressed="room.tapped"
          title="View the image at this station instead of at the end"
          @click="room.tapped = !room.tapped"
        >
          View at this station
        </button>
        <button
          type="button"
          :aria-pressed="shelf.open"
          title="The mattes of this variant"
          @click="shelf.open ? shelf.close() : shelf.show()"
        >
          Mattes
        </button>
        <button type="button" aria-label="Hide controls" @click="room.benchOpen = false">Hide panel</button>
      </div>
      <JobLine v-for="job in proofs" :key="job.id" class="proof" :job="job" />
      <MatteBench v-if="shelf.open" />
      <component :is="bench" />
      <MeasurePanel v-if="measures && !room.measureOver" />
    </aside>
    <button
      v-else-if="!room.bare"
      type="button"
      class="unfold"
      aria-label="Show controls"
      @click="room.benchOpen = true"
    >
      Show panel
    </button>
  </div>
  <FootBar />
</template>

<style scoped>
.room {
  position: relative;
  display: grid;
  grid-template-columns: minmax(0, 1fr) 356px;
  min-height: 0;
}
.room.wide {
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
.unfold {
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
