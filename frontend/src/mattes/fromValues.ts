/** Mattes from the numbers at the places where a gesture began and where it is. */

type Numbers = number[]

const round = (value: number, digits = 3) => Number(value.toPrecision(digits))

export function depthBetween(first: number, second: number) {
  const [near, far] = first <= second ? [first, second] : [second, first]
  const soft = round(Math.max((far - near) * 0.1, near * 0.01))
  return { kind: 'depth', near: round(near, 4), far: round(Math.max(far, near * 1.02), 4), soft }
}

export function aroundPlace(centre: Numbers, to: Numbers) {
  const away = Math.hypot(...[0, 1, 2].map((axis) => (to[axis] ?? 0) - (centre[axis] ?? 0)))
  const size = round(Math.max(away, 1e-3))
  return {
    kind: 'position',
    shape: 'sphere',
    centre: centre.slice(0, 3).map((v) => round(v, 5)),
    size,
    soft: round(size * 0.2),
  }
}

export function facing(normal: Numbers, pulled: number) {
  const direction = normal.slice(0, 3).map((value) => round(value, 4))
  const angle = Math.min(170, Math.max(5, 35 + pulled * 0.4))
  return { kind: 'normal', direction, angle: Math.round(angle), soft: 15 }
}

export function hueAlike(light: Numbers, pulled: number) {
  const { hue } = hueOf(light)
  const width = Math.min(360, Math.max(6, 40 + pulled * 0.5))
  return { kind: 'hue', centre: Math.round(hue), width: Math.round(width), soft: 15, least_saturation: 0.1 }
}

export function brightnessAlike(light: Numbers, pulled: number, weights = [0.27, 0.67, 0.06]) {
  const luminance = weights.reduce((sum, weight, channel) => sum + weight * (light[channel] ?? 0), 0)
  const stops = Math.log2(Math.max(luminance, 1e-5) / 0.18)
  const half = Math.max(0.1, 1 + pulled * 0.02)
  const end = (value: number) => Math.min(16, Math.max(-16, Math.round(value * 20) / 20))
  return { kind: 'luminance', low: end(stops - half), high: end(stops + half), soft: 0.5 }
}

/** Degrees of the hexagon, red 0, green 120. */
export function hueOf([red = 0, green = 0, blue = 0]: Numbers): { hue: number; saturation: number } {
  const top = Math.max(red, green, blue)
  const span = top - Math.min(red, green, blue)
  if (span <= 0 || top <= 0) return { hue: 0, saturation: 0 }
  const turn =
    top === red ? (green - blue) / span : top === green ? 2 + (blue - red) / span : 4 + (red - green) / span
  return { hue: (turn * 60 + 360) % 360, saturation: span / top }
}
