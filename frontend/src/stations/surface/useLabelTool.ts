import type { Label } from '@/api/types'
import { useValues } from '@/mattes/useValues'
import { usePointerTool, type ImagePoint } from '@/stores/pointerTool'
import { useWorkspace } from '@/stores/workspace'
import { useShot } from '@/stores/shot'
import { useNotifications } from '@/stores/notifications'
import { UvGrid } from './uvGrid'

export type Doing = 'move' | 'turn' | 'scale'

interface Callbacks {
  moving: (change: object) => void
  settled: (change: object, label: string) => void
}

const DEGREES_PER_PIXEL = 0.5
const DOUBLING_PIXELS = 140
const WORDS: Record<Doing, string> = { move: 'moved', turn: 'turned', scale: 'scaled' }

interface Start {
  place: ImagePoint
  move: number[]
  scale: number[]
  turn: number
  /** Null until it is there: while the pointer moves nothing is requested. */
  grid: UvGrid | null
}

/** A label placed on the surface itself: it follows the pointer by the uv under it; sideways it turns, or grows. */
export function useLabelTool(label: () => Label, callbacks: Callbacks) {
  const shots = useShot()
  const workspace = useWorkspace()
  const pointerTools = usePointerTool()
  const notifications = useNotifications()
  const valuesAt = useValues()
  const uvPass = () => label().uv ?? shots.variant?.reading.passes.find((p) => p.role === 'uv')?.name ?? null

  function take(doing: Doing): () => void {
    let start: Start | null = null
    let change: object | null = null
    let last: { place: ImagePoint; step: number } | null = null

    function begin(_pixel: unknown, place: ImagePoint) {
      const { move = [0, 0], scale = [1, 1], turn = 0 } = label()
      const begun: Start = { place, move, scale, turn, grid: null }
      start = begun
      change = last = null
      const pass = uvPass()
      if (doing !== 'move' || !pass || !shots.variant || !workspace.view) return
      UvGrid.over(shots.variant.id, pass, workspace.frame, workspace.view)
        .then((grid) => {
          begun.grid = grid
          if (start === begun) follow()
        })
        .catch(notifications.show)
    }

    function move(by: ImagePoint, fine: boolean, place: ImagePoint) {
      if (!start) return
      const step = fine ? 0.1 : 1
      last = { place, step }
      if (doing === 'turn')
        show({ turn: Math.round((start.turn + by.x * DEGREES_PER_PIXEL * step) * 10) / 10 })
      else if (doing === 'scale') {
        const times = 2 ** ((by.x * step) / DOUBLING_PIXELS)
        show({ scale: start.scale.map((one) => Number((one * times).toPrecision(4))) })
      } else follow()
    }

    /** To the place of the pointer, once it is known where that is on the surface. */
    function follow() {
      const [from, to] = [start?.grid?.at(start.place), last && start?.grid?.at(last.place)]
      if (from && to) show(moved(start!, from, to, last!.step))
    }

    function moved({ move }: Start, from: number[], to: number[], step: number) {
      return { move: move.map((one, axis) => Number((one + (to[axis]! - from[axis]!) * step).toFixed(4))) }
    }

    function show(next: object) {
      change = next
      callbacks.moving(next)
    }

    async function end() {
      const [begun, ended] = [start, last]
      let kept = change
      start = change = last = null
      if (begun && ended && doing === 'move') kept = (await exactly(begun, ended.place, ended.step)) ?? kept
      if (kept) callbacks.settled(kept, WORDS[doing])
    }

    /** Moved by the uv of the very pixels where the pointer was pressed and released; null where it is not on the surface. */
    async function exactly(begun: Start, place: ImagePoint, step: number) {
      const [from, to] = await Promise.all([
        valuesAt(uvPass(), begun.place),
        valuesAt(uvPass(), place),
      ]).catch(() => [[], []])
      const whole = [...from.slice(0, 2), ...to.slice(0, 2)].filter(Number.isFinite).length === 4
      return whole ? moved(begun, from, to, step) : null
    }

    const words = () => ''
    return pointerTools.take({ begin, move, end: () => void end(), words, doing: words, everywhere: true })
  }

  return { take }
}
