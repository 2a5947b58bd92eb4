import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'
import type { Aids, Region, StationName, Variant } from '@/api/types'
import type { Axis } from './levels'

export interface Chosen {
  axis: Axis
  name: string
}

export const NO_AIDS: Aids = {
  exposure: 0,
  gamma: 1,
  show: 'colour',
  marks: false,
  behind: 'nothing',
  behind_colour: [0.5, 0.5, 0.5],
}
const THEME = 'escala-theme'

/** How the room is arranged: station and tap, what is chosen, the part of the picture in view, what is compared. */
export const useRoom = defineStore('room', () => {
  const station = ref<StationName>('balance')
  /** The tap stays at the end of the path unless a station is looked at by itself. */
  const tapped = ref(false)
  const chosen = ref<Chosen | null>(null)
  /** The passes chosen on the source bench; the first is looked at. */
  const chosenPasses = ref<string[]>([])
  const benchOpen = ref(true)
  const lowerOpen = ref(true)
  const scale = ref(1)
  const fitted = ref(true)
  const view = shallowRef<Region | null>(null)
  /** Grows with every fast picture that came to the screen. */
  const pictures = ref(0)
  const milliseconds = ref<number | null>(null)
  const settled = ref(false)
  /** The frame of the sequence that is looked at; null: the first. */
  const frame = ref<number | null>(null)
  const pin = ref<{ x: number; y: number } | null>(null)
  /** A zoom that was asked for elsewhere; a new object each time. */
  const zoomWish = shallowRef<{ to: 'fit' | 'one' | 'closer' | 'wider' } | null>(null)
  const held = shallowRef<{ name: string; document: Variant } | null>(null)
  const comparing = ref<'now' | 'held' | 'wipe'>('now')
  const wipe = ref(0.5)
  /** What the viewer alone does to the picture. */
  const aids = shallowRef<Aids>({ ...NO_AIDS })
  const aided = computed(() => JSON.stringify(aids.value) !== JSON.stringify(NO_AIDS))
  const light = ref(localStorage.getItem(THEME) === 'light')

  const tap = computed<StationName>(() => (tapped.value ? station.value : 'display'))

  watch(
    light,
    (on) => {
      document.documentElement.dataset.theme = on ? 'light' : 'dark'
      localStorage.setItem(THEME, on ? 'light' : 'dark')
    },
    { immediate: true },
  )

  function go(name: StationName) {
    station.value = name
  }

  function choose(axis: Axis, name: string) {
    chosen.value = { axis, name }
  }

  function hold(name: string, variant: Variant) {
    held.value = { name, document: structuredClone(variant) as Variant }
  }

  return {
    station, tapped, tap, chosen, chosenPasses, benchOpen, lowerOpen, scale, fitted, view, milliseconds, zoomWish, settled, pin, frame, pictures, held,
    comparing, wipe, aids, aided, light, go, choose, hold,
  } // prettier-ignore
})
