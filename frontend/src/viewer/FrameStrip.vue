<script setup lang="ts">
import { computed, onScopeDispose } from 'vue'
import { curveOf } from '@/document/overTime'
import { useLanes } from '@/stores/lanes'
import { usePlayback } from '@/stores/playback'
import { useWorkspace } from '@/stores/workspace'
import { useShot } from '@/stores/shot'

const shots = useShot()
const workspace = useWorkspace()
const playback = usePlayback()
const lanes = useLanes()

const render = computed(() => shots.shot!.render)
const frames = computed(() => numbersOf(render.value.frames))
const first = computed(() => frames.value[0] ?? 0)
const last = computed(() => frames.value.at(-1) ?? 0)
const span = computed(() => Math.max(1, last.value - first.value))
const current = computed(() => workspace.frame ?? first.value)
const ticks = computed(() => [
  ...frames.value.map((number) => ({ number, missing: false })),
  ...render.value.missing_frames.map((number) => ({ number, missing: true })),
])
const wantedRate = computed(() => shots.document?.source?.frame_rate ?? render.value.frame_rate)
const numbersOf = (table: object) => Object.keys(table).map(Number).sort((a, b) => a - b) // prettier-ignore
/** The keys of the chosen lane: dragged they move to other frames. */
const keys = computed(() => {
  const curve = lanes.open ? curveOf(shots.document, lanes.chosen) : null
  return curve?.kind === 'keys' ? curve.keys.filter((key) => share(key.frame)) : []
})
let moved: { from: number; to: number } | null = null

function withMoved(by: { from: number; to: number }) {
  const curve = curveOf(shots.base, lanes.chosen)
  if (curve?.kind !== 'keys') return null
  if (by.to !== by.from && curve.keys.some((key) => key.frame === by.to)) return null
  const next = curve.keys.map((key) => (key.frame === by.from ? { ...key, frame: by.to } : key))
  return { ...curve, keys: next.sort((a, b) => a.frame - b.frame) }
}

function dragKey(frame: number, event: PointerEvent) {
  const target = event.currentTarget as HTMLElement
  event.stopPropagation()
  if (event.type === 'pointerdown') {
    target.setPointerCapture(event.pointerId)
    moved = { from: frame, to: frame }
  } else if (event.type === 'pointermove' && moved) {
    const box = target.parentElement!.getBoundingClientRect()
    const to = Math.round(first.value + ((event.clientX - box.left) / box.width) * span.value)
    const next = withMoved({ from: moved.from, to })
    if (!next || to === moved.to) return
    moved.to = to
    lanes.preview(new Map([[lanes.chosen, next]]))
  } else if (event.type === 'pointerup' && moved) {
    const next = withMoved(moved)
    if (next && moved.to !== moved.from)
      lanes.keep(new Map([[lanes.chosen, next]]), `Key moved to frame ${moved.to}`)
    moved = null
  }
}

/** Runs of frames that are ready while playing. */
const readyRuns = computed(() => {
  const runs: { from: number; to: number }[] = []
  for (const number of playback.playing ? playback.ready : []) {
    const at = frames.value.indexOf(number)
    const last = runs.at(-1)
    if (last && frames.value.indexOf(last.to) === at - 1) last.to = number
    else runs.push({ from: number, to: number })
  }
  return runs
})
const points = computed(() => [
  { word: 'In', at: playback.inPoint, set: () => setPoint('in') },
  { word: 'Out', at: playback.outPoint, set: () => setPoint('out') },
])
const share = (number: number) => `${((number - first.value) / span.value) * 100}%`

function choose(number: number) {
  if (playback.playing) playback.stop()
  const nearest = frames.value.reduce((a, b) => (Math.abs(b - number) < Math.abs(a - number) ? b : a))
  workspace.frame = nearest === first.value ? null : nearest
}

function step(by: number) {
  const at = frames.value.indexOf(current.value)
  choose(frames.value[(at + by + frames.value.length) % frames.value.length] ?? first.value)
}

function drag(event: PointerEvent) {
  if (event.type === 'pointerdown') (event.currentTarget as HTMLElement).setPointerCapture(event.pointerId)
  else if (!(event.currentTarget as HTMLElement).hasPointerCapture(event.pointerId)) return
  const box = (event.currentTarget as HTMLElement).getBoundingClientRect()
  choose(first.value + ((event.clientX - box.left) / box.width) * span.value)
}

const KEYS: Record<string, () => void> = {
  ArrowRight: () => step(1),
  ArrowUp: () => step(1),
  ArrowLeft: () => step(-1),
  ArrowDown: () => step(-1),
  Home: () => choose(first.value),
  End: () => choose(last.value),
}

function onKey(event: KeyboardEvent) {
  if (!KEYS[event.key]) return
  event.preventDefault()
  KEYS[event.key]!()
}

/** The in or out point at the current frame; there already, it is reset. */
function setPoint(which: 'in' | 'out') {
  const at = current.value
  const before = which === 'in' ? playback.inPoint : playback.outPoint
  const now = before === at ? null : at
  if (which === 'in') {
    playback.inPoint = now
    if (now !== null && (playback.outPoint ?? now) < now) playback.outPoint = null
  } else {
    playback.outPoint = now
    if (now !== null && (playback.inPoint ?? now) > now) playback.inPoint = null
  }
}

function toggle() {
  if (playback.playing) playback.stop()
  else playback.play(frames.value, current.value, wantedRate.value)
}

const words = computed(() => {
  const [from, to] = [playback.inPoint ?? first.value, playback.outPoint ?? last.value]
  const count = frames.value.filter((number) => number >= from && number <= to).length
  const range = count < frames.value.length ? `frames ${from} to ${to}` : `${count} frames`
  if (!playback.playing) return range
  const ready = playback.ready.length < count ? `, ${playback.ready.length} of ${count} ready` : ''
  return `${playback.rate.toFixed(1)} / ${wantedRate.value} fps${ready}`
})
onScopeDispose(() => {
  playback.inPoint = playback.outPoint = null
})
</script>

<template>
  <div class="strip">
    <button type="button" :aria-pressed="playback.playing" @click="toggle">Play</button>
    <button type="button" :aria-pressed="playback.loops" @click="playback.loops = !playback.loops">
      Loop
    </button>
    <button
      v-for="point in points"
      :key="point.word"
      type="button"
      :aria-pressed="point.at === current"
      :title="
        point.at === current
          ? `Reset ${point.word}`
          : `Play ${point.word === 'In' ? 'from' : 'to'} frame ${current}`
      "
      @click="point.set"
    >
      {{ point.word }}
    </button>
    <span class="number">Frame {{ current }}</span>
    <div
      class="ticks"
      role="slider"
      tabindex="0"
      aria-label="Frame"
      :aria-valuemin="first"
      :aria-valuemax="last"
      :aria-valuenow="current"
      @pointerdown="drag"
      @pointermove="drag"
      @keydown="onKey"
    >
      <s
        v-for="run in readyRuns"
        :key="run.from"
        :style="{ left: share(run.from), width: `calc(${share(run.to)} - ${share(run.from)} + 1px)` }"
      />
      <u v-if="playback.inPoint !== null" class="before" :style="{ width: share(playback.inPoint) }" />
      <u v-if="playback.outPoint !== null" class="after" :style="{ left: share(playback.outPoint) }" />
      <i
        v-for="tick in ticks"
        :key="tick.number"
        :class="{ missing: tick.missing }"
        :title="tick.missing ? `Frame ${tick.number} is missing` : `Frame ${tick.number}`"
        :style="{ left: share(tick.number) }"
      />
      <b :style="{ left: share(current) }" />
      <em
        v-for="(key, index) in keys"
        :key="index"
        :title="`Key at frame ${key.frame}: drag to another frame`"
        :style="{ left: share(key.frame) }"
        @pointerdown="dragKey(key.frame, $event)"
        @pointermove="dragKey(key.frame, $event)"
        @pointerup="dragKey(key.frame, $event)"
      />
    </div>
    <span class="quiet rate">
      {{ words }}
      <span v-if="render.missing_frames.length" class="warning"
        >{{ render.missing_frames.length }} missing</span
      >
    </span>
  </div>
</template>

<style scoped>
.strip {
  display: flex;
  align-items: center;
  gap: 14px;
  height: 30px;
  padding: 0 14px;
  background: var(--surface-2);
  border-top: 1px solid var(--line);
}
.strip button {
  width: 46px;
  padding: 1px 0;
}
.strip button + button {
  margin-left: -8px;
}
.number {
  min-width: 76px;
}
.ticks {
  position: relative;
  flex: 1;
  height: 24px;
  margin: 0 6px;
  cursor: ew-resize;
  touch-action: none;
}
.ticks i {
  position: absolute;
  top: 9px;
  height: 9px;
  border-left: 1px solid var(--text-2);
}
.ticks i.missing {
  border-left: 1px dashed var(--warning);
}
.ticks em {
  position: absolute;
  top: 8px;
  width: 9px;
  height: 9px;
  margin-left: -4px;
  border: 1.5px solid var(--accent);
  background: var(--well);
  transform: rotate(45deg);
  cursor: ew-resize;
}
.ticks s {
  position: absolute;
  bottom: 1px;
  height: 3px;
  background: var(--match);
}
.ticks u {
  position: absolute;
  top: 3px;
  bottom: 5px;
  left: 0;
  background: repeating-linear-gradient(135deg, var(--line) 0 1px, transparent 1px 5px);
}
.ticks u.after {
  right: 0;
}
.ticks b {
  position: absolute;
  top: 2px;
  height: 16px;
  margin-left: -1px;
  border-left: 3px solid var(--accent);
}
.rate {
  white-space: nowrap;
}
</style>
