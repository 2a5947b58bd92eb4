/** What a ruler measures: its range, steps and how its numbers are written. */
export interface RulerScale {
  min: number
  max: number
  neutral: number
  /** One graduation; every `major`-th one carries a number. */
  step: number
  major: number
  /** Pixels between graduations. */
  spacing: number
  digits: number
  signed: boolean
  unit: string
}

interface Graduation {
  x: number
  major: boolean
  neutral: boolean
  text: string
}

export const STOPS: RulerScale = {
  min: -16, max: 16, neutral: 0, step: 1 / 3, major: 3, spacing: 24, digits: 2, signed: true, unit: 'stops',
} // prettier-ignore
export const KELVIN: RulerScale = {
  min: 1750, max: 20000, neutral: 6500, step: 250, major: 4, spacing: 18, digits: 0, signed: false, unit: 'K',
} // prettier-ignore
export const DEGREES: RulerScale = {
  min: 0, max: 360, neutral: 0, step: 10, major: 3, spacing: 16, digits: 0, signed: false, unit: '°',
} // prettier-ignore
export const TURN: RulerScale = {
  min: -180, max: 180, neutral: 0, step: 5, major: 6, spacing: 12, digits: 0, signed: true, unit: '°',
} // prettier-ignore
export const SHARE: RulerScale = {
  min: 0, max: 100, neutral: 0, step: 5, major: 4, spacing: 14, digits: 0, signed: false, unit: '%',
} // prettier-ignore

export const DUV: RulerScale = {
  min: -0.05, max: 0.05, neutral: 0, step: 0.002, major: 5, spacing: 14, digits: 3, signed: true, unit: 'Duv',
} // prettier-ignore

export function factorScale(max: number, neutral: number): RulerScale {
  return { min: 0, max, neutral, step: 0.05, major: 4, spacing: 14, digits: 2, signed: false, unit: '' }
}

export const OFFSET: RulerScale = {
  min: -1, max: 1, neutral: 0, step: 0.01, major: 5, spacing: 12, digits: 3, signed: true, unit: '',
} // prettier-ignore

/** Graduations are drawn in blocks of so many: a scale may have ten thousand, of which a ruler shows a few. */
const BLOCK = 32

/** The block of graduations that a value lies in. */
export const blockOf = (scale: RulerScale, value: number) => Math.floor(value / scale.step / BLOCK)

/** The graduations of a block and of those beside it, each at its distance in pixels from the lowest of the scale. */
export function graduations(scale: RulerScale, block: number): Graduation[] {
  const first = Math.max(Math.ceil(scale.min / scale.step - 1e-9), (block - 1) * BLOCK)
  const last = Math.min(Math.floor(scale.max / scale.step + 1e-9), (block + 2) * BLOCK)
  const found: Graduation[] = []
  for (let index = first; index <= last; index += 1) {
    const at = index * scale.step
    const major = index % scale.major === 0
    const neutral = Math.abs(at - scale.neutral) < scale.step / 2
    found.push({ x: placeOf(scale, at), major, neutral, text: major ? labelOf(scale, at) : '' })
  }
  return found
}

/** How many pixels a value lies from the lowest. */
export function placeOf(scale: RulerScale, value: number): number {
  return ((value - scale.min) / scale.step) * scale.spacing
}

export function clampTo(scale: RulerScale, value: number): number {
  const rounding = 10 ** (scale.digits + 1)
  return Math.min(scale.max, Math.max(scale.min, Math.round(value * rounding) / rounding))
}

/** A value as it is read: real minus signs, a plus where the sign matters. */
export function readout(scale: RulerScale, value: number): string {
  const text = Math.abs(value).toFixed(scale.digits)
  const zero = Number(text) === 0
  if (zero && scale.signed) return '0'
  return `${value < 0 && !zero ? '−' : scale.signed ? '+' : ''}${text}`
}

/** What somebody typed, as a number; null when it is none. */
export function typed(text: string): number | null {
  const value = Number(
    text
      .trim()
      .replace('−', '-')
      .replace(',', '.')
      .replace(/[^\d.+-]+$/, ''),
  )
  return text.trim() === '' || Number.isNaN(value) ? null : value
}

function labelOf(scale: RulerScale, value: number): string {
  const digits =
    Number.isInteger(scale.step * scale.major) || Math.abs(scale.step * scale.major - 1) < 1e-9 ? 0 : 2
  const text = Math.abs(value)
    .toFixed(digits)
    .replace(/(\.\d*?)0+$/, '$1')
    .replace(/\.$/, '')
  if (Number(text) === 0) return '0'
  return `${value < 0 ? '−' : scale.signed ? '+' : ''}${text}`
}
