import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'
import { NO_AIDS } from '@/api/defaults'
import type { Aids, Region, StationName } from '@/api/types'
import type { Axis } from '@/document/levels'

interface Chosen {
  axis: Axis
  name: string
}

export interface Pin {
  x: number
  y: number
}

const MOST_PINS = 8
const THEME = 'escala-theme'
const MEASURE = 'escala-measure'
const AS_IT_IS = 'escala-dark-passes'

/** State of the workspace: station, selection, viewport, viewer settings, panels. */
export const useWorkspace = defineStore('workspace', () => {
  const station = ref<StationName>('balance')
  /** The image is viewed at the end of the path unless it is viewed at the open station. */
  const viewsStation = ref(false)
  const chosen = ref<Chosen | null>(null)
  /** The passes chosen on the source bench; the first is looked at. */
  const chosenPasses = ref<string[]>([])
  const benchOpen = ref(true)
  const lowerOpen = ref(true)
  /** Whether dark small pictures are lifted to be seen. */
  const lifted = ref(localStorage.getItem(AS_IT_IS) !== 'as they are')
  /** At Source the contact sheet takes the place of the image, until a pass or the image is opened. */
  const sheetOpen = ref(true)
  const passShown = ref<string | null>(null)
  const scale = ref(1)
  const fitted = ref(true)
  const view = shallowRef<Region | null>(null)
  /** Where the upper left corner of the picture lies on its canvas, and screen pixels for each of the picture. */
  const imageTransform = shallowRef({ x: 0, y: 0, scale: 1 })
  const milliseconds = ref<number | null>(null)
  const settled = ref(false)
  /** Whether the exact image was stopped before it was there; a new request object requests it once more. */
  const stopped = ref(false)
  const exactRequest = shallowRef({})
  /** The time the server took for the last image. */
  const pictureBefore = ref(0)
  /** By what name the server knows who looks at the present picture. */
  const viewer = ref('')
  /** How large pictures come while something is dragged, as a share of the screen's pixels along a side. */
  const previewShare = ref(1)
  /** The frame of the sequence that is looked at; null: the first. */
  const frame = ref<number | null>(null)
  /** The places that are looked at closely, and which of them the benches speak of. */
  const pins = shallowRef<Pin[]>([])
  const chosenPin = ref(0)
  const pin = computed<Pin | null>(() => pins.value[chosenPin.value] ?? null)
  /** The side of the square around a pin that is averaged, in pixels. */
  const probeSize = ref(5)
  /** The pixel under the pointer. */
  const hover = shallowRef<Pin | null>(null)
  /** A zoom that was requested elsewhere; a new object each time. */
  const zoomCommand = shallowRef<{ to: 'fit' | 'one' | 'closer' | 'wider' } | null>(null)
  /** Only the picture, on the whole screen. */
  const fullScreen = ref(false)
  /** What the viewer alone does to the picture. */
  const aids = shallowRef<Aids>({ ...NO_AIDS })
  const aided = computed(() => JSON.stringify({ ...aids.value, over: null }) !== JSON.stringify(NO_AIDS))
  const lightTheme = ref(localStorage.getItem(THEME) === 'light')
  /** Whether probe and scope are docked over the image. */
  const measureOver = ref(localStorage.getItem(MEASURE) === 'image')

  const sheetOver = computed(
    () => station.value === 'source' && sheetOpen.value && !viewsStation.value && !fullScreen.value,
  )
  const viewStation = computed<StationName>(() => (viewsStation.value ? station.value : 'display'))

  watch(measureOver, (over) => localStorage.setItem(MEASURE, over ? 'image' : 'panel'))
  watch(lifted, (on) => localStorage.setItem(AS_IT_IS, on ? 'lifted' : 'as they are'))
  watch(
    lightTheme,
    (on) => {
      document.documentElement.dataset.theme = on ? 'light' : 'dark'
      localStorage.setItem(THEME, on ? 'light' : 'dark')
    },
    { immediate: true },
  )

  function go(name: StationName) {
    if (name !== station.value) showSheet()
    station.value = name
  }

  /** One pass, as large as the picture; null: the picture itself. */
  function showLarge(pass: string | null) {
    passShown.value = pass
    sheetOpen.value = false
  }

  function showSheet() {
    passShown.value = null
    sheetOpen.value = true
  }

  /** Move the chosen pin to a place, or put one more there. Null takes the chosen one away. */
  function putPin(place: Pin | null, more = false) {
    const at = chosenPin.value
    if (!place) {
      pins.value = pins.value.filter((_, index) => index !== at)
      chosenPin.value = Math.max(0, Math.min(at, pins.value.length - 1))
    } else if (!pins.value.length || (more && pins.value.length < MOST_PINS)) {
      pins.value = [...pins.value, place]
      chosenPin.value = pins.value.length - 1
    } else {
      pins.value = pins.value.map((pin, index) => (index === at ? place : pin))
    }
  }

  /** Heads and tiles of the board that are chosen beside the first: they move together. */
  const chosenToo = shallowRef<Chosen[]>([])
  /** Lights whose levels are not dragged, nor solved. */
  const lockedLights = shallowRef<readonly string[]>([])

  function choose(axis: Axis, name: string) {
    chosen.value = { axis, name }
    chosenToo.value = []
  }

  function chooseToo(axis: Axis, name: string) {
    if (!chosen.value) return choose(axis, name)
    const is = (one: Chosen) => one.axis === axis && one.name === name
    if (is(chosen.value)) return
    const rest = chosenToo.value.filter((one) => !is(one))
    chosenToo.value = rest.length < chosenToo.value.length ? rest : [...rest, { axis, name }]
  }

  function lock(light: string) {
    const rest = lockedLights.value.filter((one) => one !== light)
    lockedLights.value = rest.length < lockedLights.value.length ? rest : [...rest, light]
  }

  return {
    station, viewsStation, viewStation, chosen, chosenPasses, benchOpen, lowerOpen, scale, fitted, view, imageTransform, milliseconds, zoomCommand, settled, stopped, exactRequest, pictureBefore, viewer, previewShare, pin, pins, chosenPin, probeSize, hover, frame, fullScreen, putPin,
    aids, aided, lightTheme, measureOver, lifted, sheetOpen, sheetOver, passShown, chosenToo, lockedLights, go, choose, chooseToo, lock, showLarge, showSheet,
  } // prettier-ignore
})
