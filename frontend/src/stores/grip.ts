import { defineStore } from 'pinia'
import { shallowRef } from 'vue'
import type { Pin } from './room'

/** What a drag in the picture does, beside panning it: the bench that is open says so. */
export interface Grip {
  /** The drag begins: at a pixel of the picture, or on the pin that is there. */
  begin: (at: Pin | null) => void
  /** How far the hand is from where it began, in pixels of the screen. */
  move: (by: { x: number; y: number }, fine: boolean) => void
  end: () => void
  /** What is said beside the pin: of the place, and of the change under way or how to make one. */
  words: () => string
  doing: () => string
}

/** The grip of the bench that is open; null where a drag only pans. */
export const useGrip = defineStore('grip', () => {
  const grip = shallowRef<Grip | null>(null)
  return { grip }
})
