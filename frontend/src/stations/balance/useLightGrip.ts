import { computed, onScopeDispose, shallowRef, watch } from 'vue'
import { usePinProbe } from '@/stores/usePinProbe'
import { clampStops, levelOf, levelPatch, percent, spoken, stopsText, type Axis } from '@/stores/levels'
import { useGrip } from '@/stores/grip'
import { useRoom, type Pin } from '@/stores/room'
import { useShot } from '@/stores/shot'

const PIXELS_PER_STOP = 48
const MIRED_PER_PIXEL = 0.6
const SLACK = 4

/** While the bench is open, light is changed in the picture: the light that dominates at the pin; up and down its level, sideways its warmth. */
export function useLightGrip() {
  const shots = useShot()
  const room = useRoom()
  const { probe } = usePinProbe()
  const hand = shallowRef<{ dx: number; dy: number; fine: boolean } | null>(null)
  /** What is held: fixed when the make-up of the place is known, so that a change does not pass it on to another. */
  let held: { axis: Axis; name: string } | null = null
  let way: 'level' | 'warmth' | null = null

  const dominant = computed(() => {
    const light = probe.value?.lights.find((part) => part.name !== 'other')
    const component = probe.value?.components.find((part) => part.name !== 'other')
    if (light) return { axis: 'lights' as Axis, name: light.name }
    return component ? { axis: 'components' as Axis, name: component.name } : null
  })
  const words = computed(() =>
    [probe.value?.lights[0], probe.value?.components[0]]
      .flatMap((part) => (part && part.share > 0 ? [`${spoken(part.name)} ${percent(part.share)}`] : []))
      .join(' · '),
  )

  function begin(at: Pin | null) {
    if (at) room.putPin(at)
    hand.value = { dx: 0, dy: 0, fine: false }
    held = way = null
  }

  function move(by: { x: number; y: number }, fine: boolean) {
    hand.value = { dx: by.x, dy: by.y, fine }
  }

  function change() {
    if (!hand.value || !shots.variant) return null
    held ??= dominant.value
    const { dx, dy, fine } = hand.value
    if (!way && Math.hypot(dx, dy) >= SLACK) way = Math.abs(dy) >= Math.abs(dx) ? 'level' : 'warmth'
    if (!held || !way) return null
    const level = levelOf(shots.variant.document, held.axis, held.name)
    const step = fine ? 0.1 : 1
    if (way === 'warmth') {
      const mired = 1e6 / level.kelvin + dx * MIRED_PER_PIXEL * step
      const kelvin = Math.min(20000, Math.max(1750, Math.round(1e6 / Math.max(mired, 1) / 10) * 10))
      return { ...held, level: { ...level, kelvin }, what: `${kelvin} K` }
    }
    const stops = clampStops(level.stops - (dy / PIXELS_PER_STOP) * step)
    return { ...held, level: { ...level, stops }, what: `${stopsText(stops)} stops` }
  }

  watch([hand, dominant], () => {
    const next = change()
    if (!next) return
    room.choose(next.axis, next.name)
    shots.preview(levelPatch(next.axis, next.name, next.level))
  })

  function end() {
    const last = change()
    hand.value = null
    if (last) void shots.edit([...shots.draft], `${spoken(last.name)} ${last.what}, in the picture`)
  }

  const moving = computed(() => {
    const level =
      hand.value && room.chosen && shots.draft.length
        ? levelOf(shots.document!, room.chosen.axis, room.chosen.name)
        : null
    return level ? `${spoken(room.chosen!.name)} ${stopsText(level.stops)} stops, ${level.kelvin} K` : ''
  })
  const doing = () => moving.value || 'drag up or down: level, sideways: warmth'
  onScopeDispose(useGrip().take({ begin, move, end, words: () => words.value, doing }))
}
