import { displayName, percent, stopsText } from '@/format'
import { computed, onScopeDispose, shallowRef } from 'vue'
import type { Probe } from '@/api/types'
import { usePinProbe } from '@/composables/usePinProbe'
import { clampStops, levelOf, levelPatch, type Axis } from '@/document/levels'
import { usePointerTool } from '@/stores/pointerTool'
import { useWorkspace, type Pin } from '@/stores/workspace'
import { useShot } from '@/stores/shot'
import { useNotifications } from '@/stores/notifications'

const PIXELS_PER_STOP = 48
const MIRED_PER_PIXEL = 0.6
const SLACK = 4

/** A drag in the image: what it changes is known once the server has said what makes the place where it began. */
interface Drag {
  variant: number
  dx: number
  dy: number
  fine: boolean
  way: 'level' | 'temperature' | null
  /** Fixed when the make-up of the place is known, so that a change does not pass it on to another. */
  held: { axis: Axis; name: string } | null
}

/** While the bench is open, light is changed in the image: the light that dominates at the pin; up and down its level, sideways its warmth. */
export function useLightTool() {
  const shots = useShot()
  const workspace = useWorkspace()
  const notifications = useNotifications()
  const { probe, probeAt } = usePinProbe()
  const drag = shallowRef<Drag | null>(null)
  let known: Promise<void> = Promise.resolve()

  const words = computed(() =>
    [probe.value?.lights[0], probe.value?.components[0]]
      .flatMap((part) => (part && part.share > 0 ? [`${displayName(part.name)} ${percent(part.share)}`] : []))
      .join(' · '),
  )

  function begin(at: Pin | null) {
    const place = at ?? workspace.pin
    if (at) workspace.putPin(at)
    if (!place || !shots.variant) return
    const mine: Drag = { variant: shots.variant.id, dx: 0, dy: 0, fine: false, way: null, held: null }
    drag.value = mine
    known = probeAt(place).then(
      (found) => {
        mine.held = dominant(found)
        if (drag.value === mine) show(mine)
      },
      (error) => notifications.show(error),
    )
  }

  function move(by: { x: number; y: number }, fine: boolean) {
    if (!drag.value) return
    const { x: dx, y: dy } = by
    const way = drag.value.way ?? wayOf(dx, dy)
    Object.assign(drag.value, { dx, dy, fine, way })
    show(drag.value)
  }

  function change({ held, way, dx, dy, fine }: Drag) {
    if (!held || !way || !shots.base) return null
    const level = levelOf(shots.base, held.axis, held.name)
    const step = fine ? 0.1 : 1
    if (way === 'temperature') {
      const mired = 1e6 / level.kelvin + dx * MIRED_PER_PIXEL * step
      const kelvin = Math.min(20000, Math.max(1750, Math.round(1e6 / Math.max(mired, 1) / 10) * 10))
      return { ...held, level: { ...level, kelvin }, what: `${kelvin} K` }
    }
    const stops = clampStops(level.stops - (dy / PIXELS_PER_STOP) * step)
    return { ...held, level: { ...level, stops }, what: `${stopsText(stops)} stops` }
  }

  function show(mine: Drag) {
    const next = change(mine)
    if (!next) return
    workspace.choose(next.axis, next.name)
    shots.preview(levelPatch(next.axis, next.name, next.level))
  }

  /** The pointer may be quicker than the server: its drag is saved as soon as the light under it is known. */
  async function end() {
    const mine = drag.value
    drag.value = null
    if (!mine) return
    await known
    const last = mine.variant === shots.variant?.id ? change(mine) : null
    if (!last) return drag.value ? undefined : shots.preview([])
    workspace.choose(last.axis, last.name)
    await shots.edit(
      levelPatch(last.axis, last.name, last.level),
      `${displayName(last.name)}: ${last.what} set in the image`,
    )
  }

  const moving = computed(() => {
    const level =
      drag.value && workspace.chosen && shots.draft.patch.length
        ? levelOf(shots.document!, workspace.chosen.axis, workspace.chosen.name)
        : null
    return level
      ? `${displayName(workspace.chosen!.name)} ${stopsText(level.stops)} stops, ${level.kelvin} K`
      : ''
  })
  const doing = () => moving.value || 'Drag up/down: level, left/right: temperature'
  const grip = { begin, move, end: () => void end(), words: () => words.value, doing }
  onScopeDispose(usePointerTool().take(grip))
}

function wayOf(dx: number, dy: number): Drag['way'] {
  if (Math.hypot(dx, dy) < SLACK) return null
  return Math.abs(dy) >= Math.abs(dx) ? 'level' : 'temperature'
}

/** The light that makes most of a place, else the component. */
function dominant(probe: Probe): Drag['held'] {
  const light = probe.lights.find((part) => part.name !== 'other')
  const component = probe.components.find((part) => part.name !== 'other')
  if (light) return { axis: 'lights', name: light.name }
  return component ? { axis: 'components', name: component.name } : null
}
