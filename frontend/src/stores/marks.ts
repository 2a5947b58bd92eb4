import { defineStore } from 'pinia'
import { shallowRef } from 'vue'
import type { GripPlace } from './grip'

/** What is drawn over the picture for the bench that is open; places and lengths in pixels of the picture. */
export type Mark =
  | { kind: 'circle'; at: GripPlace; radius: number }
  | { kind: 'line'; points: GripPlace[] }
  | { kind: 'handle'; name: string; at: GripPlace }
  | { kind: 'words'; at: GripPlace; text: string }

export const useMarks = defineStore('marks', () => {
  const marks = shallowRef<Mark[]>([])
  const show = (next: Mark[]) => void (marks.value = next)
  const clear = () => show([])
  return { marks, show, clear }
})
