import { defineStore } from 'pinia'
import { shallowRef } from 'vue'
import type { Pin } from './room'

export interface GripPlace {
  x: number
  y: number
}

/** What the hand does in the picture, beside panning it: the bench that is open says so. */
export interface Grip {
  /** The drag begins: at a pixel of the picture, or on the pin that is there; `at`: the very place. */
  begin: (pixel: Pin | null, at: GripPlace) => void
  /** How far the hand is from where it began, in pixels of the screen; `at`: where it is in the picture. */
  move: (by: GripPlace, fine: boolean, at: GripPlace) => void
  end: () => void
  /** What is said beside the pin, or beside the pointer: of the place, and of the change under way or how to make one. */
  words: () => string
  doing: () => string
  /** What a click does in place of putting the pin. */
  click?: (at: GripPlace) => void
  /** Where the pointer is while nothing is held. */
  hover?: (at: GripPlace | null) => void
  /** Whether the hand grips wherever it is, also where only a part of the picture is seen. */
  everywhere?: boolean
}

/** The grip of the bench that is open; null where a drag only pans. */
export const useGrip = defineStore('grip', () => {
  const grip = shallowRef<Grip | null>(null)

  /** Hold the picture in a way, until the returned function is called: then as before. */
  function take(mine: Grip): () => void {
    const before = grip.value
    grip.value = mine
    return () => {
      if (grip.value === mine) grip.value = before
    }
  }
  return { grip, take }
})
