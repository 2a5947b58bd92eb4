import type { Label } from '@/api/types'
import { useValues } from '@/mattes/useValues'
import { useGrip, type GripPlace } from '@/stores/grip'
import { useShot } from '@/stores/shot'

export type Doing = 'move' | 'turn' | 'scale'

interface Told {
  moving: (change: object) => void
  settled: (change: object, label: string) => void
}

const DEGREES_PER_PIXEL = 0.5
const DOUBLING_PIXELS = 140
const WORDS: Record<Doing, string> = { move: 'moved', turn: 'turned', scale: 'scaled' }

/** A label placed on the surface itself: it follows the hand by the uv under it; sideways it turns, or grows. */
export function useLabelHand(label: () => Label, told: Told) {
  const shots = useShot()
  const grips = useGrip()
  const valuesAt = useValues()
  const uvPass = () => label().uv ?? shots.variant?.reading.passes.find((p) => p.role === 'uv')?.name ?? null

  function take(doing: Doing): () => void {
    let start: { move: number[]; scale: number[]; turn: number; uv: Promise<number[]> } | null = null
    let change: object | null = null
    let latest = 0

    function begin(_pixel: unknown, at: GripPlace) {
      const { move = [0, 0], scale = [1, 1], turn = 0 } = label()
      start = { move, scale, turn, uv: valuesAt(uvPass(), at) }
      change = null
    }

    async function move(by: GripPlace, fine: boolean, at: GripPlace) {
      if (!start) return
      const mine = (latest += 1)
      const step = fine ? 0.1 : 1
      if (doing === 'turn')
        show({ turn: Math.round((start.turn + by.x * DEGREES_PER_PIXEL * step) * 10) / 10 })
      else if (doing === 'scale') {
        const times = 2 ** ((by.x * step) / DOUBLING_PIXELS)
        show({ scale: start.scale.map((one) => Number((one * times).toPrecision(4))) })
      } else {
        const begun = start
        const [from, to] = await Promise.all([begun.uv, valuesAt(uvPass(), at)]).catch(() => [[], []])
        if (mine !== latest || !start || from.length < 2 || to.length < 2) return
        show({
          move: begun.move.map((one, axis) => Number((one + (to[axis]! - from[axis]!) * step).toFixed(4))),
        })
      }
    }

    function show(next: object) {
      change = next
      told.moving(next)
    }

    function end() {
      if (change) told.settled(change, WORDS[doing])
      start = change = null
      latest += 1
    }

    const words = () => ''
    return grips.take({
      begin,
      move: (...how) => void move(...how),
      end,
      words,
      doing: words,
      everywhere: true,
    })
  }

  return { take }
}
