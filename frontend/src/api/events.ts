import { api, unwrap } from './client'
import type { Job } from './types'

export type ServerEvent =
  | { kind: 'shots' }
  | ({ kind: 'job' } & Job)
  | { kind: 'render'; shot_id: number; changes: string[]; renamed: Record<string, string> }
  | { kind: 'variants'; shot_id: number }
  | { kind: 'variant'; variant_id: number; shot_id: number; head: number }
  | { kind: 'trouble'; sentence: string }
  /** Some of what happened is no longer known: look at everything anew. */
  | { kind: 'missed' }

interface Answer {
  mark: string
  missed: boolean
  events: ServerEvent[]
}

/**
 * How long until the next question, in milliseconds: after something was begun, at most while something happens, at
 * most while nothing does, while the page is not seen, while nobody answers.
 */
const BEGUN = 100
const BUSY = 600
const QUIET = 1400
const SLOWER = 1.4
const UNSEEN = 8000
const UNANSWERED = 2500

let hurry = () => {}

/** Something was begun that the server is going to tell of: ask at once, and often for a while. */
export function expectRenderUpdate(): void {
  hurry()
}

/**
 * Hear what happens on the server until the returned function is called. The page asks again and again what came after
 * the last that it knows, so that it holds no connection open. `shown`: the shot before it, whose files are watched.
 */
export function listen(heard: (event: ServerEvent) => Promise<void>, shown: () => number | null): () => void {
  let mark = ''
  let timer: ReturnType<typeof setTimeout> | undefined
  let ended = false
  let pace = BUSY
  hurry = () => {
    pace = BEGUN
    askNow()
  }

  async function ask() {
    timer = undefined
    let pause = UNANSWERED
    try {
      const query = { after: mark, shot: shown() }
      const answer = await unwrap<Answer>(api.GET('/api/events', { params: { query } }))
      mark = answer.mark
      if (answer.missed) await heard({ kind: 'missed' })
      for (const event of answer.events) await heard(event)
      pause = document.hidden ? UNSEEN : pace
      pace = Math.min(pace * SLOWER, answer.events.length ? BUSY : QUIET)
    } catch {
      // Not now: the server is asked again in a while.
    }
    if (!ended) timer = setTimeout(ask, pause)
  }

  function askNow() {
    if (document.hidden || timer === undefined) return
    clearTimeout(timer)
    void ask()
  }

  document.addEventListener('visibilitychange', askNow)
  void ask()
  return () => {
    ended = true
    clearTimeout(timer)
    document.removeEventListener('visibilitychange', askNow)
  }
}
