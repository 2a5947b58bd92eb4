import type { Matte } from '@/api/types'
import type { Place } from '@/viewer/framing'

/** Drawn mattes as handles in the image, and what dragging one makes. */

export type Shape = Extract<Matte, { kind: 'shape' }>
export type Ellipse = Extract<Matte, { kind: 'ellipse' }>
type Point = [number, number]

interface Handle {
  name: string
  at: Place
  what: 'point' | 'middle' | 'fade'
}

const round = (value: number) => Math.round(value * 10) / 10
const pointOf = (at: Place): Point => [round(at.x), round(at.y)]

/** The points of a shape at a frame: those of the nearest key before it, linear to the next. */
export function pointsAt(shape: Shape, frame: number): Point[] {
  if (shape.points) return shape.points as Point[]
  const keys = (shape.keys ?? {}) as Record<string, Point[]>
  const numbers = Object.keys(keys).map(Number).sort((a, b) => a - b) // prettier-ignore
  const after = numbers.findIndex((number) => number > frame)
  if (after <= 0) return keys[String(after ? numbers.at(-1) : numbers[0])]!
  const [first, second] = [numbers[after - 1]!, numbers[after]!]
  const share = (frame - first) / (second - first)
  const ends = keys[String(second)]!
  return keys[String(first)]!.map(([x, y], i) => [
    x + share * (ends[i]![0] - x),
    y + share * (ends[i]![1] - y),
  ])
}

/** A shape with other points: for this frame alone where it has keys. */
function withPoints(shape: Shape, points: Point[], frame: number): Shape {
  return shape.keys
    ? { ...shape, keys: { ...shape.keys, [String(frame)]: points } as Shape['keys'] }
    : { ...shape, points: points as Shape['points'] }
}

/** The ellipse's axes: its first half axis and its second, from its middle. */
function axesOf({ radii, turn }: Ellipse): [Place, Place] {
  const angle = ((turn ?? 0) * Math.PI) / 180
  return [
    { x: radii[0] * Math.cos(angle), y: -radii[0] * Math.sin(angle) },
    { x: radii[1] * Math.sin(angle), y: radii[1] * Math.cos(angle) },
  ]
}

export function handlesOf(matte: Matte, frame: number): Handle[] {
  if (matte.kind === 'shape') {
    const points = pointsAt(matte, frame)
    const rightmost = points.reduce((best, point) => (point[0] > best[0] ? point : best))
    return [
      ...points.map(([x, y], i) => ({ name: String(i), at: { x, y }, what: 'point' as const })),
      fade({ x: rightmost[0], y: rightmost[1] }, matte.feather_px ?? 0),
    ]
  }
  if (matte.kind !== 'ellipse') return []
  const [x, y] = matte.centre
  const [first, second] = axesOf(matte)
  return [
    { name: 'middle', at: { x, y }, what: 'middle' },
    { name: 'first', at: { x: x + first.x, y: y + first.y }, what: 'point' },
    { name: 'second', at: { x: x + second.x, y: y + second.y }, what: 'point' },
    fade({ x: x - first.x, y: y - first.y }, matte.feather_px ?? 0, -1),
  ]
}

function fade(edge: Place, feather: number, side = 1): Handle {
  return { name: 'fade', at: { x: edge.x + side * (feather + FADE_GAP), y: edge.y }, what: 'fade' }
}

/** The square that fades stands so far from the outline, so that both can be held. */
const FADE_GAP = 14

/** A drawn matte with one of its handles at another place. */
export function withHandle(matte: Shape | Ellipse, name: string, at: Place, frame: number): Shape | Ellipse {
  if (matte.kind === 'shape') {
    const points = pointsAt(matte, frame)
    if (name !== 'fade')
      return withPoints(matte, points.map((p, i) => (String(i) === name ? pointOf(at) : p)), frame) // prettier-ignore
    const edge = Math.max(...points.map(([x]) => x))
    return { ...matte, feather_px: Math.max(0, round(at.x - edge - FADE_GAP)) }
  }
  const [x, y] = matte.centre
  const [dx, dy] = [at.x - x, at.y - y]
  const far = Math.max(1, round(Math.hypot(dx, dy)))
  if (name === 'middle') return { ...matte, centre: pointOf(at) }
  if (name === 'second') return { ...matte, radii: [matte.radii[0], far] }
  if (name === 'first') {
    const turn = Math.round((Math.atan2(-dy, dx) * 180) / Math.PI)
    return { ...matte, radii: [far, matte.radii[1]], turn }
  }
  const [first] = axesOf(matte)
  return { ...matte, feather_px: Math.max(0, round(x - first.x - FADE_GAP - at.x)) }
}

/** The handle under a place, within so many pixels of the picture. */
export function handleAt(handles: Handle[], at: Place, near: number): Handle | null {
  const away = (handle: Handle) => Math.hypot(handle.at.x - at.x, handle.at.y - at.y)
  const best = handles.reduce<Handle | null>(
    (found, next) => (!found || away(next) < away(found) ? next : found),
    null,
  )
  return best && away(best) <= near ? best : null
}

export const asPoint = pointOf
