import { displayName, stopsText } from '@/format'
import { NEUTRAL_LEVEL } from '@/api/defaults'
import { computed } from 'vue'
import type { Variant } from '@/api/types'
import { pointerThrottle } from '@/widgets/pointerThrottle'
import { clampStops, levelOf, levelPatch, type Axis } from '@/document/levels'
import { useWorkspace } from '@/stores/workspace'
import { useShot } from '@/stores/shot'

const PIXELS_PER_STOP = 48
const STEPS: Record<string, number> = { ArrowUp: 1, ArrowDown: -1 }

/** What of the board has a level: a head's light or component, or a tile's cell. */
interface Leveled {
  axis: Axis
  name: string
}

/** The level of a head or tile, and what its pointer and keys do: drag sideways, or step by thirds of a stop. */
export function useLevelTool(of: Leveled) {
  const shots = useShot()
  const workspace = useWorkspace()
  let grip: { x: number; stops: number; now: number } | null = null
  let takes = pointerThrottle()
  let moved = false

  /** Read by each for itself, so that a change draws anew what it changes alone. */
  const level = computed(() => (shots.document ? levelOf(shots.document, of.axis, of.name) : NEUTRAL_LEVEL))
  const is = (one: Leveled | null) => one?.axis === of.axis && one.name === of.name
  const chosen = computed(() => is(workspace.chosen) || workspace.chosenToo.some(is))
  const locked = computed(() => isLocked(of))
  const isLocked = ({ axis, name }: Leveled) =>
    axis !== 'components' && workspace.lockedLights.includes(axis === 'cells' ? name.split('/')[0]! : name)
  const isMore = (event: MouseEvent) => event.ctrlKey || event.metaKey
  /** A click on one of several keeps them, so that they can be dragged together. */
  const choose = () => {
    if (!chosen.value) workspace.choose(of.axis, of.name)
  }
  function click(event: MouseEvent) {
    if (isMore(event)) workspace.chooseToo(of.axis, of.name)
    else if (!moved) workspace.choose(of.axis, of.name)
  }
  /** All that moves with this one: what is chosen with it, but for locked lights. */
  const together = () =>
    (chosen.value && workspace.chosen ? [workspace.chosen, ...workspace.chosenToo] : [of]).filter(
      (one) => !isLocked(one),
    )

  function begin(event: PointerEvent) {
    moved = false
    if (event.button !== 0 || !shots.document || isMore(event)) return
    choose()
    if (locked.value) return
    const { stops } = levelOf(shots.document, of.axis, of.name)
    grip = { x: event.clientX, stops, now: stops }
    takes = pointerThrottle()
    ;(event.currentTarget as HTMLElement).setPointerCapture(event.pointerId)
  }

  function move(event: PointerEvent) {
    if (!grip || !takes(event)) return
    const fine = event.shiftKey ? 0.1 : 1
    const stops = grip.stops + ((event.clientX - grip.x) / PIXELS_PER_STOP) * fine
    if (Math.abs(event.clientX - grip.x) < 3 && grip.now === grip.stops) return
    moved = true
    grip.now = clampStops(stops)
    show(grip.now)
  }

  function end() {
    const done = grip
    grip = null
    if (!done) return
    if (done.now === done.stops) shots.preview([])
    else keep(done.now)
  }

  function onKey(event: KeyboardEvent) {
    const steps = STEPS[event.key]
    if (!steps || !shots.document || locked.value) return
    event.preventDefault()
    const stops = clampStops(levelOf(shots.document, of.axis, of.name).stops + steps / 3)
    show(stops)
    shots.asSteps(() => keep(stops))
  }

  /** This one gets a level, and the others move by as much. */
  function patchOf(base: Variant, stops: number) {
    const by = stops - levelOf(base, of.axis, of.name).stops
    return together().flatMap(({ axis, name }) => {
      const before = levelOf(base, axis, name)
      return levelPatch(axis, name, { ...before, stops: clampStops(before.stops + by) })
    })
  }

  function show(stops: number) {
    if (shots.base) shots.preview(patchOf(shots.base, stops))
  }

  function keep(stops: number) {
    if (!shots.base) return
    const others = together().length - 1
    const what = `${displayName(of.name.replace('/', ', '))}${others > 0 ? ` and ${others} more` : ''}`
    void shots.edit(patchOf(shots.base, stops), `${what} ${stopsText(stops)} stops`)
  }

  const on = {
    pointerdown: begin,
    pointermove: move,
    pointerrawupdate: move,
    pointerup: end,
    pointercancel: end,
    click,
    keydown: onKey,
  }
  return { level, chosen, locked, on }
}
