import type { Triple } from '@/api/types'
import type { components } from '@/api/schema'
import { factorScale, SHARE, TURN, type RulerScale } from '@/widgets/ruler'

type Schemas = components['schemas']

/** A light made from passes. */
export type AddedLight = Schemas['SideLight'] | Schemas['PointLight'] | Schemas['RimLight']
type AddedKind = AddedLight['kind']

export const KINDS: { kind: NonNullable<AddedKind>; word: string; what: string }[] = [
  { kind: 'side', word: 'Side', what: 'From one direction, far away' },
  {
    kind: 'point',
    word: 'Point',
    what: 'From a place in the scene, falling off by the square of the distance',
  },
  { kind: 'rim', word: 'Rim', what: 'Along outlines, where surfaces turn away from the camera' },
]

export const AZIMUTH: RulerScale = { ...TURN, step: 5, major: 6 }
export const ELEVATION: RulerScale = { ...TURN, min: -90, max: 90 }
export const RADIUS: RulerScale = {
  min: 0.01, max: 1000, neutral: 1, step: 0.1, major: 5, spacing: 12, digits: 2, signed: false, unit: 'units',
} // prettier-ignore
export const PLACE: RulerScale = {
  ...RADIUS,
  min: -10000,
  max: 10000,
  neutral: 0,
  step: 0.25,
  major: 4,
  signed: true,
}
export const EDGE: RulerScale = { ...factorScale(64, 2), step: 0.25, digits: 1 }
export const ROUGHNESS: RulerScale = { ...SHARE, neutral: 40 }
export const COLOUR: RulerScale = factorScale(64, 1)

/** What a new light of a kind is, before it is placed. */
export const NEW: Record<NonNullable<AddedKind>, object> = {
  side: { kind: 'side', direction: [0.6, 0.6, -0.5] },
  point: { kind: 'point', position: [0, 2, 0], radius: 2 },
  rim: { kind: 'rim', edge: 2 },
}

/** A name that no light has. */
export function freeName(kind: string, taken: readonly string[]): string {
  let number = 1
  while (taken.includes(`${kind}_${number}`)) number += 1
  return `${kind}_${number}`
}

/** A direction as angles: around the vertical axis of the scene, and above its horizon; y is up. */
export function anglesOf([x, y, z]: Triple): { azimuth: number; elevation: number } {
  const flat = Math.hypot(x, z)
  return {
    azimuth: (Math.atan2(x, z) * 180) / Math.PI,
    elevation: (Math.atan2(y, flat) * 180) / Math.PI,
  }
}

export function directionOf(azimuth: number, elevation: number): Triple {
  const [turn, rise] = [(azimuth * Math.PI) / 180, (elevation * Math.PI) / 180]
  const rounded = (value: number) => Math.round(value * 1e6) / 1e6
  return [
    rounded(Math.sin(turn) * Math.cos(rise)),
    rounded(Math.sin(rise)),
    rounded(Math.cos(turn) * Math.cos(rise)),
  ]
}

/** A light that faces a surface, or stands so far above it along its normal. */
export function placedAt(
  light: AddedLight,
  normal: Triple,
  place: Triple | null,
  height: number,
): object | null {
  const length = Math.hypot(...normal)
  if (!length) return null
  const unit = normal.map((value) => value / length) as Triple
  if (light.kind === 'side') return { direction: unit.map((value) => Math.round(value * 1e6) / 1e6) }
  if (light.kind !== 'point' || !place) return null
  return { position: place.map((value, axis) => Math.round((value + unit[axis]! * height) * 1e4) / 1e4) }
}
