import { defineStore } from 'pinia'
import { shallowRef } from 'vue'
import type { Pin } from './workspace'

export interface ImagePoint {
  x: number
  y: number
}

/** The keys that were held as a drag began. */
export interface HeldKeys {
  alt: boolean
  ctrl: boolean
}

/** What the pointer does in the image beside panning: set by the open station. */
interface PointerTool {
  /** The drag begins: at a pixel of the picture, or on the pin that is there; `at`: the very place. */
  begin: (pixel: Pin | null, at: ImagePoint, keys: HeldKeys) => void
  /** How far the pointer is from where it was pressed, in screen pixels; `at`: its place in the image. */
  move: (by: ImagePoint, fine: boolean, at: ImagePoint) => void
  end: () => void
  /** What is said beside the pin, or beside the pointer: of the place, and of the change under way or how to make one. */
  words: () => string
  doing: () => string
  /** What a click does in place of putting the pin. */
  click?: (at: ImagePoint) => void
  /** Where the pointer is while nothing is held. */
  hover?: (at: ImagePoint | null) => void
  /** Whether the pointer acts everywhere, also where only a part of the image is seen. */
  everywhere?: boolean
}

/** The grip of the bench that is open; null where a drag only pans. */
export const usePointerTool = defineStore('grip', () => {
  const grip = shallowRef<PointerTool | null>(null)

  /** Hold the picture in a way, until the returned function is called: then as before. */
  function take(mine: PointerTool): () => void {
    const before = grip.value
    grip.value = mine
    return () => {
      if (grip.value === mine) grip.value = before
    }
  }
  return { grip, take }
})
