import kept from './defaults.json'
import type { Aids, Cdl, Denoise, Depth, Lens, Level, Recolour, TermEdit } from './types'

/** What each part of a document is when nothing is said, as the API itself has it. */
export const NEUTRAL_LEVEL = kept.Level as Level
export const UNTOUCHED_TERM = kept.TermEdit as TermEdit
export const NEUTRAL_RECOLOUR = kept.Recolour as Recolour
export const NEUTRAL_CDL = kept.CdlCorrection as Cdl
export const NEUTRAL_DENOISE = kept.Denoise as Denoise
export const NEUTRAL_DEPTH = kept.Depth as Depth
export const NEUTRAL_LENS = kept.Lens as Lens
export const NO_AIDS = kept.Aids as Aids
