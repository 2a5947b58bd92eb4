/** A point of a curve, in stops around grey. */
export type Point = [number, number]

const CLOSEST = 0.01
const STEPS = 96

/** The points with one at another place, or one more; it stays between its neighbours. */
export function withPoint(points: Point[], index: number | null, to: Point): Point[] {
  if (index === null) return [...points, to].sort((a, b) => a[0] - b[0])
  const least = (points[index - 1]?.[0] ?? -64) + CLOSEST
  const most = (points[index + 1]?.[0] ?? 64) - CLOSEST
  const x = Math.min(most, Math.max(least, to[0]))
  return points.map((point, i) => (i === index ? [x, to[1]] : point))
}

/** The point that lies within a distance, in stops; null: none does. */
export function nearestPoint(points: Point[], to: Point, within: number): number | null {
  const distances = points.map(([x, y]) => Math.hypot(x - to[0], y - to[1]))
  const least = Math.min(...distances)
  return least <= within ? distances.indexOf(least) : null
}

/** The curve as a line to be drawn: monotone cubic between points, their slopes carried on beyond. */
export function drawnCurve(points: Point[], low: number, high: number): Point[] {
  const slopes = slopesOf(points)
  return Array.from({ length: STEPS + 1 }, (_, step) => {
    const x = low + (step / STEPS) * (high - low)
    return [x, valueAt(points, slopes, x)]
  })
}

function valueAt(points: Point[], slopes: number[], x: number): number {
  const first = points[0]
  const last = points.at(-1)
  if (!first || !last) return x
  if (x <= first[0]) return first[1] + slopes[0]! * (x - first[0])
  if (x >= last[0]) return last[1] + slopes.at(-1)! * (x - last[0])
  const at = points.findIndex((point) => point[0] > x) - 1
  const [x0, y0] = points[at]!
  const [x1, y1] = points[at + 1]!
  const width = x1 - x0
  const t = (x - x0) / width
  const rise = t * t * (3 - 2 * t)
  const bow = t * (1 - t) * ((1 - t) * slopes[at]! - t * slopes[at + 1]!) * width
  return y0 + rise * (y1 - y0) + bow
}

/** The slope at each point: weighted harmonic means, as of the server (Fritsch and Butland 1984). */
function slopesOf(points: Point[]): number[] {
  if (points.length < 2) return points.map(() => 1)
  const widths = points.slice(1).map((point, i) => point[0] - points[i]![0])
  const rises = points.slice(1).map((point, i) => (point[1] - points[i]![1]) / widths[i]!)
  if (points.length === 2) return [rises[0]!, rises[0]!]
  return points.map((_, i) => {
    if (i === 0) return endSlope(widths[0]!, widths[1]!, rises[0]!, rises[1]!)
    if (i === points.length - 1) return endSlope(widths.at(-1)!, widths.at(-2)!, rises.at(-1)!, rises.at(-2)!)
    const [before, after] = [rises[i - 1]!, rises[i]!]
    if (before * after <= 0) return 0
    const w1 = 2 * widths[i]! + widths[i - 1]!
    const w2 = widths[i]! + 2 * widths[i - 1]!
    return (w1 + w2) / (w1 / before + w2 / after)
  })
}

function endSlope(width: number, next: number, rise: number, nextRise: number): number {
  const slope = ((2 * width + next) * rise - width * nextRise) / (width + next)
  if (slope * rise <= 0) return 0
  return rise * nextRise <= 0 && Math.abs(slope) > 3 * Math.abs(rise) ? 3 * rise : slope
}
