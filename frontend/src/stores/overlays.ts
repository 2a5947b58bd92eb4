import { defineStore } from 'pinia'
import { shallowRef } from 'vue'
import type { ImagePoint } from './pointerTool'

/** What is drawn over the picture for the bench that is open; places and lengths in pixels of the picture. */
export type Mark =
  | { kind: 'circle'; at: ImagePoint; radius: number }
  | { kind: 'line'; points: ImagePoint[] }
  | { kind: 'handle'; name: string; at: ImagePoint }
  | { kind: 'words'; at: ImagePoint; text: string }

export const useOverlays = defineStore('marks', () => {
  const marks = shallowRef<Mark[]>([])
  const show = (next: Mark[]) => void (marks.value = next)
  const clear = () => show([])
  return { marks, show, clear }
})
