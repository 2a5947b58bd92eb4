import { displayName, stopsText } from '@/format'
import { NEUTRAL_LEVEL } from '@/api/defaults'
import { computed } from 'vue'
import { pointerThrottle } from '@/widgets/pointerThrottle'
import { clampStops, levelOf, levelPatch, type Axis } from '@/document/levels'
import { useWorkspace } from '@/stores/workspace'
import { useShot } from '@/stores/shot'

const PIXELS_PER_STOP = 48
const STEPS: Record<string, number> = { ArrowUp: 1, ArrowDown: -1 }

/** What of the board has a level: a head's light or component, or a tile's cell. */
export interface Leveled {
  axis: Axis
  name: string
}

/** The level of a head or tile, and what its pointer and keys do: drag sideways, or step by thirds of a stop. */
export function useLevelTool(of: Leveled) {
  const shots = useShot()
  const workspace = useWorkspace()
  let grip: { x: number; stops: number; now: number } | null = null
  let takes = pointerThrottle()

  /** Read by each for itself, so that a change draws anew what it changes alone. */
  const level = computed(() => (shots.document ? levelOf(shots.document, of.axis, of.name) : NEUTRAL_LEVEL))
  const chosen = computed(() => workspace.chosen?.axis === of.axis && workspace.chosen.name === of.name)
  const choose = () => workspace.choose(of.axis, of.name)

  function begin(event: PointerEvent) {
    if (event.button !== 0 || !shots.document) return
    choose()
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
    if (!steps || !shots.document) return
    event.preventDefault()
    const stops = clampStops(levelOf(shots.document, of.axis, of.name).stops + steps / 3)
    show(stops)
    shots.asSteps(() => keep(stops))
  }

  const patchOf = (stops: number) =>
    levelPatch(of.axis, of.name, { ...levelOf(shots.base!, of.axis, of.name), stops })

  function show(stops: number) {
    if (shots.base) shots.preview(patchOf(stops))
  }

  function keep(stops: number) {
    if (!shots.base) return
    void shots.edit(patchOf(stops), `${displayName(of.name.replace('/', ', '))} ${stopsText(stops)} stops`)
  }

  const on = {
    pointerdown: begin,
    pointermove: move,
    pointerrawupdate: move,
    pointerup: end,
    pointercancel: end,
    click: choose,
    keydown: onKey,
  }
  return { level, chosen, on }
}
