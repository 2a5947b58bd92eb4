import { api, unwrap } from './client'
import type { Job } from './types'

export type ServerEvent =
  | { kind: 'shots' }
  | ({ kind: 'job' } & Job)
  | { kind: 'render'; shot_id: number; changes: string[]; renamed: Record<string, string> }
  | { kind: 'variants'; shot_id: number }
  | { kind: 'variant'; variant_id: number; shot_id: number; head: number }
  | { kind: 'notes'; shot_id: number }
  | { kind: 'shares' }
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

/** Something was begun whose events follow: poll at once, and often for a while. */
export function expectRenderUpdate(): void {
  hurry()
}

/**
 * Receive the events of the server until the returned function is called. The page polls for what came after
 * the last that it knows, so that it holds no connection open. `shown`: the shot before it, whose files are watched.
 */
export function listen(
  onEvent: (event: ServerEvent) => Promise<void>,
  shown: () => number | null,
): () => void {
  let mark = ''
  let timer: ReturnType<typeof setTimeout> | undefined
  let ended = false
  let pace = BUSY
  hurry = () => {
    pace = BEGUN
    askNow()
  }

  async function poll() {
    timer = undefined
    let pause = UNANSWERED
    try {
      const query = { after: mark, shot: shown() }
      const answer = await unwrap<Answer>(api.GET('/api/events', { params: { query } }))
      mark = answer.mark
      if (answer.missed) await onEvent({ kind: 'missed' })
      for (const event of answer.events) await onEvent(event)
      pause = document.hidden ? UNSEEN : pace
      pace = Math.min(pace * SLOWER, answer.events.length ? BUSY : QUIET)
    } catch {
      // Not now: the next poll follows.
    }
    if (!ended) timer = setTimeout(poll, pause)
  }

  function askNow() {
    if (document.hidden || timer === undefined) return
    clearTimeout(timer)
    void poll()
  }

  document.addEventListener('visibilitychange', askNow)
  void poll()
  return () => {
    ended = true
    clearTimeout(timer)
    document.removeEventListener('visibilitychange', askNow)
  }
}
