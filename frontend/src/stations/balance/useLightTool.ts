import { displayName, percent, stopsText } from '@/format'
import { computed, onScopeDispose, shallowRef } from 'vue'
import type { Correction, PatchStep, Probe } from '@/api/types'
import { usePinProbe } from '@/composables/usePinProbe'
import { withFreeIds } from '@/document/entryIds'
import { clampStops, levelOf, levelPatch, pointerStep, type Axis } from '@/document/levels'
import { useObjectPicker } from '@/mattes/useObjectPicker'
import { usePointerTool, type HeldKeys, type ImagePoint } from '@/stores/pointerTool'
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
  /** The object that the change is limited to, by a correction with its matte; null: the whole level changes. */
  within: string | null
}

/** A change of the document, and what it is in words. */
interface Change {
  axis: Axis
  name: string
  patch: PatchStep[]
  what: string
}

/**
 * While the bench is open, light is changed in the image: the light that dominates at the pin; up and down its level,
 * sideways its warmth. With Alt it is the component, with Ctrl only the object at the pin.
 */
export function useLightTool() {
  const shots = useShot()
  const workspace = useWorkspace()
  const notifications = useNotifications()
  const { probe, probeAt } = usePinProbe()
  const picker = useObjectPicker()
  const drag = shallowRef<Drag | null>(null)
  let known: Promise<void> = Promise.resolve()

  const words = computed(() =>
    [probe.value?.lights[0], probe.value?.components[0]]
      .flatMap((part) => (part && part.share > 0 ? [`${displayName(part.name)} ${percent(part.share)}`] : []))
      .join(' · '),
  )

  function begin(at: Pin | null, _place: ImagePoint, keys: HeldKeys) {
    const place = at ?? workspace.pin
    if (at) workspace.putPin(at)
    if (!place || !shots.variant) return
    const mine: Drag = {
      variant: shots.variant.id,
      dx: 0,
      dy: 0,
      fine: false,
      way: null,
      held: null,
      within: null,
    }
    drag.value = mine
    const object = keys.ctrl ? picker.pick(place.x, place.y) : Promise.resolve(null)
    known = Promise.all([probeAt(place), object]).then(
      ([found, under]) => {
        mine.held = dominant(found, keys.alt)
        mine.within = under?.found[0]?.name ?? null
        if (mine.held?.axis === 'lights' && workspace.lockedLights.includes(mine.held.name)) {
          notifications.show(`${displayName(mine.held.name)} is locked.`)
          mine.held = null
        }
        if (keys.ctrl && !mine.within) {
          mine.held = null
          notifications.show('No object here: the render has no cryptomatte at this pixel.')
        }
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

  function change({ held, way, dx, dy, fine, within }: Drag): Change | null {
    if (!held || !way || !shots.base) return null
    if (within) return changeWithin(held, within, (dy / PIXELS_PER_STOP) * (fine ? 0.1 : 1))
    const level = levelOf(shots.base, held.axis, held.name)
    const step = fine ? 0.1 : 1
    const changed = (to: object, what: string) => ({
      ...held,
      patch: levelPatch(held.axis, held.name, { ...level, ...to }),
      what,
    })
    if (way === 'temperature') {
      const mired = 1e6 / level.kelvin + dx * MIRED_PER_PIXEL * step
      const kelvin = Math.min(20000, Math.max(1750, Math.round(1e6 / Math.max(mired, 1) / 10) * 10))
      return changed({ kelvin }, `${kelvin} K`)
    }
    const stops = clampStops(level.stops - (dy / PIXELS_PER_STOP) * step)
    return changed({ stops }, `${stopsText(stops)} stops`)
  }

  /** An exposure of the light within an object: an entry of its corrections, limited by the object's matte. */
  function changeWithin(held: { axis: Axis; name: string }, object: string, down: number): Change {
    const of = {
      light: held.axis === 'lights' ? held.name : null,
      component: held.axis === 'components' ? held.name : null,
    }
    const all = (shots.base!.balance?.corrections ?? []) as (Correction & {
      of?: typeof of
      stops?: number
    })[]
    const isIt = (one: (typeof all)[number]) =>
      one.kind === 'exposure' &&
      one.matte === object &&
      one.of?.light === of.light &&
      one.of?.component === of.component
    const there = all.find(isIt)
    const stops = clampStops((there?.stops ?? 0) - down)
    const matte = { kind: 'object', names: [object] }
    const patch: PatchStep[] = shots.base!.mattes?.[object]
      ? []
      : [{ op: 'add', path: `/mattes/${pointerStep(object)}`, value: matte }]
    if (there)
      patch.push({ op: 'add', path: `/balance/corrections/${pointerStep(there.id!)}/stops`, value: stops })
    else {
      const [entry] = withFreeIds([{ kind: 'exposure', stops, of, matte: object }], all)
      patch.push({ op: 'add', path: '/balance/corrections/-', value: entry })
    }
    return { ...held, patch, what: `${stopsText(stops)} stops on ${displayName(object)}` }
  }

  function show(mine: Drag) {
    const next = change(mine)
    if (!next) return
    workspace.choose(next.axis, next.name)
    shots.preview(next.patch)
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
    await shots.edit(last.patch, `${displayName(last.name)}: ${last.what} set in the image`)
  }

  const moving = computed(() => {
    const level =
      drag.value && workspace.chosen && shots.draft.patch.length
        ? levelOf(shots.document!, workspace.chosen.axis, workspace.chosen.name)
        : null
    if (drag.value?.within) return change(drag.value)?.what ?? ''
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

/** The light that makes most of a place, else the component; that first where it `isWanted`. */
function dominant(probe: Probe, isWanted: boolean): Drag['held'] {
  const light = probe.lights.find((part) => part.name !== 'other')
  const component = probe.components.find((part) => part.name !== 'other')
  if (light && !(isWanted && component)) return { axis: 'lights', name: light.name }
  return component ? { axis: 'components', name: component.name } : null
}
