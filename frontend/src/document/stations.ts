import type { StationName } from '@/api/types'

/** The stations of the path, in its order. */
export const STATIONS: StationName[] = [
  'source',
  'surface',
  'balance',
  'beauty',
  'depth',
  'plate',
  'lens',
  'finish',
  'display',
]
