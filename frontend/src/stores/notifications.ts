import { defineStore } from 'pinia'
import { ref } from 'vue'

/** Sentences about what went wrong, until somebody has read them. */
export const useNotifications = defineStore('notifications', () => {
  const sentences = ref<{ id: number; text: string }[]>([])
  let count = 0

  function show(error: unknown) {
    const text = error instanceof Error ? error.message : String(error)
    if (sentences.value.some((sentence) => sentence.text === text)) return
    sentences.value.push({ id: ++count, text })
  }

  function dismiss(id: number) {
    sentences.value = sentences.value.filter((sentence) => sentence.id !== id)
  }

  return { sentences, show, dismiss }
})
