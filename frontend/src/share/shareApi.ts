import type { Note, NoteList, Region, SharedShot } from '@/api/types'

/** The address of the share that this page shows. */
const ROOT = `/api/share/${encodeURIComponent(location.pathname.split('/').at(-1) ?? '')}`

/** The share is not there any more. */
export class Withdrawn extends Error {}

async function answered(request: Promise<Response>): Promise<Response> {
  const answer = await request
  if (answer.status === 404) throw new Withdrawn('This share has been withdrawn.')
  if (answer.ok) return answer
  const problem = (await answer.json().catch(() => ({}))) as { detail?: string }
  throw new Error(problem.detail ?? 'The server did not answer as expected.')
}

function post(end: string, body: unknown, signal?: AbortSignal): Promise<Response> {
  const headers = { 'Content-Type': 'application/json' }
  return answered(
    fetch(`${ROOT}${end}`, { method: 'POST', headers, body: JSON.stringify(body), signal: signal ?? null }),
  )
}

export const fetchShare = async () => (await (await answered(fetch(ROOT))).json()) as SharedShot
const PAGE = 200
/** A page of notes, the newest first; `after`: the last id of the page before. */
export const fetchNotes = async (after?: number) =>
  (await (
    await answered(fetch(`${ROOT}/notes?limit=${PAGE}${after === undefined ? '' : `&after=${after}`}`))
  ).json()) as NoteList

export interface ImageWish {
  variant: number
  frame: number
  region: Region
  width: number
  height: number
  exact: boolean
}

export interface Fetched {
  blob: Blob
  /** The region that it shows. */
  region: Region
  /** What it took on the line once the server began to answer. */
  milliseconds: number
}

/** An image of a region. */
export async function fetchImage(wish: ImageWish, signal: AbortSignal): Promise<Fetched> {
  const answer = await post('/picture', wish, signal)
  const [x, y, width, height] = (answer.headers.get('X-Region') ?? '').split(' ').map(Number)
  const began = performance.now()
  const blob = await answer.blob()
  const milliseconds = performance.now() - began
  return { blob, region: { x: x!, y: y!, width: width!, height: height! }, milliseconds }
}

export interface Remark {
  variant: number
  text: string
  author: string
  revision: number
  frame: number
  place: [number, number] | null
}

export const sendNote = async (remark: Remark) => (await (await post('/notes', remark)).json()) as Note
