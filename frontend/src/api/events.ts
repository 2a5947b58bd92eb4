import type { Job } from './types'

export type ServerEvent =
  | { kind: 'shots' }
  | ({ kind: 'job' } & Job)
  | { kind: 'render'; shot_id: number; changes: string[]; renamed: Record<string, string> }
  | { kind: 'variants'; shot_id: number }
  | { kind: 'variant'; variant_id: number; shot_id: number; head: number }
  | { kind: 'trouble'; sentence: string }

/** Hear what happens on the server until the returned function is called. */
export function listen(heard: (event: ServerEvent) => void): () => void {
  const source = new EventSource('/api/events')
  source.onmessage = (message) => heard(JSON.parse(message.data) as ServerEvent)
  return () => source.close()
}
