import { defineStore } from 'pinia'
import { computed, ref, shallowRef } from 'vue'
import type { Draft, PatchStep, StationName } from '@/api/types'

/** A state of a variant, by its id and revision, with edits on it that the server has not acknowledged yet. */
export interface HeldState extends Draft {
  /** Absent: the variant that is open. */
  variant?: number
}

/** The variant that is open, as it is saved. */
export const SAVED: HeldState = { base: null, patch: [] }

/** What is kept for comparing. It is requested like the current image. */
export interface Hold {
  key: string
  name: string
  /** Null: the present state follows, with `patch` applied to it. */
  state: HeldState | null
  patch: PatchStep[]
  station: StationName
  /** Undefined: the frame that is looked at. */
  frame?: number | null
  pass_name?: string
  picture?: string
  /** Whether it takes part in the comparison. */
  shown: boolean
}

/** A line through the picture: where it passes, as shares of width and height, and how it leans, in degrees. */
export interface Wipe {
  x: number
  y: number
  angle: number
}

export type Comparison = 'now' | 'held' | 'wipe' | 'split' | 'side' | 'difference'
type Measure = 'linear' | 'display'

const MOST_HOLDS = 8
export const COMPARISONS: Comparison[] = ['now', 'held', 'wipe', 'split', 'side', 'difference']
const STRAIGHT: Wipe = { x: 0.5, y: 0.5, angle: 0 }

/** The states, passes and pictures that are held for comparing, and how they are compared. */
export const useHolds = defineStore('holds', () => {
  const holds = shallowRef<Hold[]>([])
  const mode = ref<Comparison>('now')
  const wipe = shallowRef<Wipe>({ ...STRAIGHT })
  const gain = ref(1)
  const measure = ref<Measure>('display')
  let count = 0

  const shown = computed(() => holds.value.filter((hold) => hold.shown))
  /** The one that the present picture is flipped, wiped or subtracted with. */
  const first = computed(() => shown.value[0] ?? null)
  const comparing = computed(() => mode.value !== 'now' && first.value !== null)

  /** Keep one more, the newest first; the oldest gives way. It is the one that is compared with. */
  function add(hold: Omit<Hold, 'key' | 'shown'>) {
    const made = { ...hold, key: `hold ${++count}`, shown: true }
    holds.value = [made, ...holds.value].slice(0, MOST_HOLDS)
  }

  function holdState(
    name: string,
    state: HeldState,
    frame?: number | null,
    station: StationName = 'display',
  ) {
    add({ name, state, patch: [], frame, station })
  }

  function drop(key: string) {
    holds.value = holds.value.filter((hold) => hold.key !== key)
    if (!holds.value.length) mode.value = 'now'
  }

  function toggle(key: string) {
    holds.value = holds.value.map((hold) => (hold.key === key ? { ...hold, shown: !hold.shown } : hold))
  }

  /** Turn to a way of comparing, or from it back to the present picture alone. */
  function turnTo(next: Comparison) {
    mode.value = mode.value === next ? 'now' : next
  }

  function clear() {
    holds.value = []
    mode.value = 'now'
    wipe.value = { ...STRAIGHT }
  }

  return {
    holds, shown, first, comparing, mode, wipe, gain, measure, add, holdState, drop, toggle, turnTo, clear,
  } // prettier-ignore
})
