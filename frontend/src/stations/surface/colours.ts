import type { Triple } from '@/api/types'
import { hueOf } from '@/mattes/fromValues'

/** A colour by the hexagon: hue in degrees, saturation 0..1, value without an end. */
interface Parts {
  hue: number
  saturation: number
  value: number
}

export function partsOf(colour: Triple): Parts {
  return { ...hueOf(colour), value: Math.max(...colour) }
}

export function colourOf({ hue, saturation, value }: Parts): Triple {
  const channel = (turn: number) => {
    const away = (hue / 60 + 6 - turn) % 6
    const share = Math.min(1, Math.max(0, Math.abs(away - 3) - 1))
    return Number((value * (1 - saturation + saturation * share)).toPrecision(5))
  }
  return [channel(0), channel(2), channel(4)]
}
