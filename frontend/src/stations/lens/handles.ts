import type { Lens } from '@/api/types'
import type { ImagePoint } from '@/stores/pointerTool'
import type { Mark } from '@/stores/overlays'
import type { EffectName } from './rows'

/** What of an effect is held in the picture: what is drawn, its handles, and what dragging one changes. */
interface Held {
  marks: Mark[]
  handles: { name: string; at: ImagePoint }[]
  move: (name: string, to: ImagePoint) => object
}

interface Frame {
  width: number
  height: number
}

const CORNERS = 72
const MOST_AMOUNT = 16
/** Towards the corners of the frame, where the rim of most vignettes is still in sight. */
const CORNER_WAYS = [[-1, -1], [1, -1], [-1, 1], [1, 1]] as const // prettier-ignore
/** The handle of the aberration stands so many pixels further out for each of the shift. */
const MAGNIFIED = 8
/** The rim of the grain is so many times as large as its grains; one of dirt's amount is so much of the frame's width. */
const GRAIN_MAGNIFIED = 24
const DIRT_SHARE = 1 / 8
const round = (value: number, digits: number) => Number(value.toFixed(digits))
const middleOf = ({ width, height }: Frame) => ({ x: width / 2, y: height / 2 })
const placed = (centre: readonly [number, number] | number[] | null | undefined, frame: Frame): ImagePoint =>
  centre ? { x: centre[0]!, y: centre[1]! } : middleOf(frame)
const centred = (to: ImagePoint) => ({ centre: [round(to.x, 1), round(to.y, 1)] })

function around(at: ImagePoint, radius: (angle: number) => number): ImagePoint[] {
  return Array.from({ length: CORNERS + 1 }, (_, i) => {
    const angle = (2 * Math.PI * i) / CORNERS
    return { x: at.x + radius(angle) * Math.cos(angle), y: at.y + radius(angle) * Math.sin(angle) }
  })
}

/** How far a step of one pixel at an angle is in half diagonals, as the vignette measures. */
function measured(frame: Frame, roundness: number, angle: number): number {
  const circle = 2 / Math.hypot(frame.width, frame.height)
  const ellipse = Math.hypot((2 * Math.cos(angle)) / frame.width, (2 * Math.sin(angle)) / frame.height)
  return roundness * circle + ((1 - roundness) * ellipse) / Math.SQRT2
}

export function heldOf(name: EffectName, lens: Lens, frame: Frame): Held {
  if (name === 'distortion') {
    const at = placed(lens.distortion.centre, frame)
    return { marks: [], handles: [{ name: 'middle', at }], move: (_name, to) => centred(to) }
  }
  if (name === 'aberration') {
    const from = { x: frame.width * 0.85, y: frame.height / 2 }
    const at = { x: from.x + lens.aberration.shift_px! * MAGNIFIED, y: from.y }
    const move = (_name: string, to: ImagePoint) => {
      const shift = (to.x - from.x) / MAGNIFIED
      return { shift_px: Math.min(64, Math.max(-64, round(shift, 2))) }
    }
    return { marks: [{ kind: 'line', points: [from, at] }], handles: [{ name: 'shift', at }], move }
  }
  if (name === 'glow') {
    const middle = middleOf(frame)
    const at = { x: middle.x + lens.glow.size_px!, y: middle.y }
    const move = (_name: string, to: ImagePoint) => ({
      size_px: Math.min(4096, Math.max(1, round(Math.hypot(to.x - middle.x, to.y - middle.y), 1))),
    })
    const rim: Mark = { kind: 'circle', at: middle, radius: lens.glow.size_px! }
    return { marks: [rim], handles: [{ name: 'size', at }], move }
  }
  if (name === 'glare') {
    const middle = middleOf(frame)
    const angle = (lens.glare.turn! * Math.PI) / 180
    const length = lens.glare.length_px!
    const at = { x: middle.x + length * Math.cos(angle), y: middle.y - length * Math.sin(angle) }
    const move = (_name: string, to: ImagePoint) => ({
      turn: round((Math.atan2(middle.y - to.y, to.x - middle.x) * 180) / Math.PI, 1),
      length_px: Math.min(4096, Math.max(1, round(Math.hypot(to.x - middle.x, to.y - middle.y), 1))),
    })
    return { marks: [{ kind: 'line', points: [middle, at] }], handles: [{ name: 'ray', at }], move }
  }
  if (name === 'dirt') {
    const from = { x: frame.width * 0.1, y: frame.height / 2 }
    const one = frame.width * DIRT_SHARE
    const at = { x: from.x + lens.dirt.amount! * one, y: from.y }
    const move = (_name: string, to: ImagePoint) => ({
      amount: Math.min(MOST_AMOUNT, Math.max(0, round((to.x - from.x) / one, 2))),
    })
    return { marks: [{ kind: 'line', points: [from, at] }], handles: [{ name: 'amount', at }], move }
  }
  if (name === 'vignette') {
    const { size, roundness } = lens.vignette
    const at = placed(lens.vignette.centre, frame)
    const far = (angle: number) => size! / measured(frame, roundness!, angle)
    const rim = around(at, far)
    const rimAt = (angle: number) => ({
      x: at.x + far(angle) * Math.cos(angle),
      y: at.y + far(angle) * Math.sin(angle),
    })
    const move = (handle: string, to: ImagePoint) => {
      if (handle === 'middle') return centred(to)
      const angle = Math.atan2(to.y - at.y, to.x - at.x)
      const reached = Math.hypot(to.x - at.x, to.y - at.y) * measured(frame, roundness!, angle)
      return { size: Math.min(16, Math.max(0.01, round(reached, 3))) }
    }
    return {
      marks: [{ kind: 'line', points: rim }],
      handles: [
        { name: 'middle', at },
        ...CORNER_WAYS.map(([across, down]) => ({ name: 'rim', at: rimAt(Math.atan2(down * frame.height, across * frame.width)) })), // prettier-ignore
      ],
      move,
    }
  }
  const middle = middleOf(frame)
  const radius = lens.grain.size_px! * GRAIN_MAGNIFIED
  const at = { x: middle.x + radius, y: middle.y }
  const move = (_name: string, to: ImagePoint) => {
    const size = Math.hypot(to.x - middle.x, to.y - middle.y) / GRAIN_MAGNIFIED
    return { size_px: Math.min(16, Math.max(0.5, round(size, 2))) }
  }
  return { marks: [{ kind: 'circle', at: middle, radius }], handles: [{ name: 'size', at }], move }
}
