import { defineStore } from 'pinia'
import { shallowRef } from 'vue'
import { told, type Answer } from '@/api/client'
import { expectNews } from '@/api/events'
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

  /** Start long work: its number. It is known from now on, unless its end was heard of already. */
  async function begin(request: Promise<Answer>): Promise<number> {
    const job = await told<Job>(request)
    if (!find(job.id)) hear(job)
    expectNews()
    return job.id
  }

  return { jobs, hear, find, begin }
})
