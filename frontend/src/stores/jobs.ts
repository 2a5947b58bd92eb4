import { displayName, percent } from '@/format'
import { defineStore } from 'pinia'
import { shallowRef } from 'vue'
import { api, unwrap, type Answer } from '@/api/client'
import { expectRenderUpdate } from '@/api/events'
import type { Job } from '@/api/types'

const MOST = 30

/** How far work is, and how long it takes yet. */
export function wordsOf(job: Job): string {
  const words = [displayName(job.what), job.doing, job.share > 0 ? percent(job.share) : '', left(job)]
  return words.filter(Boolean).join(', ')
}

/** The shot that a job has made, if that is what it was for. */
export function shotMadeBy(job: Job): number | undefined {
  return (job.result as { shot_id?: number } | null)?.shot_id
}

function left({ seconds_left }: Job): string {
  if (seconds_left === null || seconds_left === undefined) return ''
  return seconds_left < 90
    ? `about ${Math.ceil(seconds_left)} s left`
    : `about ${Math.ceil(seconds_left / 60)} min left`
}

/** Long work on the server, the newest first, as the server reports it. */
export const useJobs = defineStore('jobs', () => {
  const jobs = shallowRef<Job[]>([])

  function hear(job: Job) {
    jobs.value = [job, ...jobs.value.filter((known) => known.id !== job.id)].slice(0, MOST)
  }

  /** The newest that makes a picture for a viewer. */
  function pictureFor(viewer: string): Job | undefined {
    return jobs.value.filter((job) => job.viewer === viewer).sort((one, other) => other.id - one.id)[0]
  }

  function find(id: number | null): Job | null {
    return jobs.value.find((job) => job.id === id) ?? null
  }

  /** Start long work: its number. It is listed from now on, unless its end was received already. */
  async function begin(request: Promise<Answer>): Promise<number> {
    const job = await unwrap<Job>(request)
    if (!find(job.id)) hear(job)
    expectRenderUpdate()
    return job.id
  }

  /** Stop long work; what is done by then stays. */
  async function stop(job: Job) {
    await unwrap(api.POST('/api/jobs/{job_id}/cancel', { params: { path: { job_id: job.id } } }))
    expectRenderUpdate()
  }

  return { jobs, hear, find, pictureFor, begin, stop }
})
