import type { Lens } from '@/api/types'
import { factorScale, STOPS, TURN, type RulerScale } from '@/parts/ruler'

/** The effects of a lens as the bench shows them, in the order in which light meets them. */

export type EffectName = keyof Lens
export interface LensRuler {
  field: string
  label: string
  scale: RulerScale
  /** What a shown unit is in the document. */
  unit?: number
  /** While it is set, what is brighter than it is marked in the picture. */
  marksOver?: boolean
}
export interface LensEffect {
  name: EffectName
  title: string
  says: string
  rulers: LensRuler[]
  flags: { field: string; label: string }[]
  /** Whether a matte can limit it, and what that then limits. */
  where?: string
}

const PIXELS: RulerScale = { min: 0, max: 4096, neutral: 0, step: 4, major: 5, spacing: 12, digits: 1, signed: false, unit: 'px' } // prettier-ignore
const CURVE: RulerScale = { min: -1, max: 1, neutral: 0, step: 0.01, major: 5, spacing: 12, digits: 3, signed: true, unit: '' } // prettier-ignore
const SHIFT: RulerScale = { ...PIXELS, min: -64, max: 64, step: 0.5, major: 4, digits: 2, signed: true }
const amount = (neutral: number) => ({ ...factorScale(16, neutral) })
const COUNT: RulerScale = { min: 1, max: 16, neutral: 4, step: 1, major: 5, spacing: 22, digits: 0, signed: false, unit: '' } // prettier-ignore
const SHARE: RulerScale = { min: 0, max: 100, neutral: 50, step: 5, major: 4, spacing: 14, digits: 0, signed: false, unit: '%' } // prettier-ignore

export const EFFECTS: LensEffect[] = [
  {
    name: 'distortion',
    title: 'Distortion',
    says: 'Straight lines bend outwards, or inwards. Drag the middle of it in the picture.',
    rulers: [
      { field: 'k1', label: 'Bend', scale: CURVE },
      { field: 'k2', label: 'Bend far out', scale: CURVE },
    ],
    flags: [{ field: 'fill', label: 'edges carried on' }],
  },
  {
    name: 'aberration',
    title: 'Aberration',
    says: 'Red outwards and blue inwards, more towards the corners. Drag the handle at the right edge.',
    rulers: [{ field: 'shift_px', label: 'Shift at the corners', scale: SHIFT }],
    flags: [],
  },
  {
    name: 'glow',
    title: 'Glow',
    says: 'What is brighter than the threshold spreads softly. Drag the rim for its size.',
    rulers: [
      { field: 'threshold', label: 'Brighter than', scale: STOPS, marksOver: true },
      { field: 'amount', label: 'Amount', scale: amount(0.2) },
      { field: 'size_px', label: 'Size', scale: { ...PIXELS, min: 1, neutral: 64 } },
    ],
    flags: [],
    where: 'what glows',
  },
  {
    name: 'glare',
    title: 'Glare',
    says: 'Rays from what is brighter than the threshold. Drag the end of the ray in the picture.',
    rulers: [
      { field: 'threshold', label: 'Brighter than', scale: { ...STOPS, neutral: 2 }, marksOver: true },
      { field: 'amount', label: 'Amount', scale: amount(0.2) },
      { field: 'streaks', label: 'Rays', scale: COUNT },
      { field: 'length_px', label: 'Length', scale: { ...PIXELS, min: 1, neutral: 128 } },
      { field: 'turn', label: 'Turned', scale: TURN },
      { field: 'soft_px', label: 'Soft', scale: { ...PIXELS, max: 256, step: 0.5, neutral: 2 } },
    ],
    flags: [],
    where: 'what throws rays',
  },
  {
    name: 'dirt',
    title: 'Dirt',
    says: 'A picture of the glass: where it is bright, glow and glare are stronger. Drag the handle at the left.',
    rulers: [{ field: 'amount', label: 'Amount', scale: amount(1) }],
    flags: [],
  },
  {
    name: 'vignette',
    title: 'Vignette',
    says: 'Darker, or brighter, away from a place. Drag its middle, and its rim for the size.',
    rulers: [
      { field: 'stops', label: 'At the edge', scale: { ...STOPS, neutral: -1 } },
      { field: 'size', label: 'Size in half diagonals', scale: { ...factorScale(16, 1), min: 0.01 } },
      { field: 'roundness', label: 'Round', scale: SHARE, unit: 100 },
      { field: 'soft', label: 'Soft', scale: SHARE, unit: 100 },
    ],
    flags: [],
    where: 'the vignette',
  },
  {
    name: 'grain',
    title: 'Grain',
    says: 'Noise in stops, the same for the same seed. Drag the rim for the size of its grains.',
    rulers: [
      { field: 'amount', label: 'Amount', scale: { ...factorScale(4, 0.1), unit: 'stops' } },
      { field: 'size_px', label: 'Size', scale: { ...PIXELS, min: 0.5, max: 16, step: 0.1, neutral: 1.5 } },
      { field: 'response', label: 'Calmer in the lights', scale: SHARE, unit: 100 },
      { field: 'seed', label: 'Seed', scale: { ...COUNT, min: 0, max: 999, neutral: 0 } },
    ],
    flags: [],
    where: 'the grain',
  },
]
