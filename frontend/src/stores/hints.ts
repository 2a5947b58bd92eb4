import { useLocalStorage } from '@vueuse/core'
import { defineStore } from 'pinia'
import type { StationName } from '@/api/types'

const ALL = 'all'

/** Which hints were read, kept in this browser. */
export const useHints = defineStore('hints', () => {
  const read = useLocalStorage<string[]>('escala-hints', [])

  const wanted = (station: StationName) => !read.value.includes(ALL) && !read.value.includes(station)
  const put = (station: StationName) => (read.value = [...read.value, station])
  const putAll = () => (read.value = [ALL])
  const again = () => (read.value = [])

  return { read, wanted, put, putAll, again }
})
