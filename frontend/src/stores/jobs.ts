import { defineStore } from 'pinia'
import { shallowRef } from 'vue'
import type { Job } from '@/api/types'

const MOST = 30

/** Long work on the server, the newest first, as the server tells of it. */
export const useJobs = defineStore('jobs', () => {
  const jobs = shallowRef<Job[]>([])

  function hear(job: Job) {
    jobs.value = [job, ...jobs.value.filter((known) => known.id !== job.id)].slice(0, MOST)
  }

  function find(id: number | null): Job | null {
    return jobs.value.find((job) => job.id === id) ?? null
  }

  return { jobs, hear, find }
})
