import createClient from 'openapi-fetch'
import type { paths } from './schema'
import type { Aids, CdlFile, Draft, Region, StationName } from './types'

/** This page: the server gives all pages a fair share of its time. */
const CLIENT = { 'X-Client': Math.random().toString(36).slice(2) }

export const api = createClient<paths>({ baseUrl: location.origin, headers: CLIENT })

/** A draft as the client of the API types it. */
export function bodyOf({ base, patch }: Draft) {
  return { base, patch: patch as unknown as Record<string, never>[] }
}

/** What went wrong, in the server's own sentence. */
export class Problem extends Error {
  constructor(
    readonly status: number,
    sentence: string,
    readonly title = '',
  ) {
    super(sentence)
  }
}

/** What the client of the API gives for a request. */
export interface Answer {
  data?: unknown
  error?: unknown
  response: Response
}

/** The data of an answer, or a Problem. The caller names the type: the client widens tuples to arrays. */
export async function unwrap<Data>(request: Promise<Answer>): Promise<Data> {
  const { data, error, response } = await request.catch(noAnswer)
  if (!response.ok) throw problemOf(response.status, error)
  return data as Data
}

/** A request that failed to reach the server is reported as such; any other error is kept. */
function noAnswer(error: unknown): never {
  if (error instanceof TypeError)
    throw new Problem(0, 'The server does not answer. Check that it is still running.')
  throw error
}

function problemOf(status: number, error: unknown): Problem {
  const { detail, title } = (error ?? {}) as { detail?: string; title?: string }
  return new Problem(status, detail ?? `The server answered with status ${status}.`, title)
}

/** What is looked at: a station of the variant, one of its passes, or a picture that was brought in. */
export interface ViewSubject extends Draft {
  /** Another variant than that of the address. */
  variant?: number
  frame: number | null
  station: StationName
  pass_name?: string
  picture?: string
}

export interface ImageRequestBody extends ViewSubject {
  region: Region
  out_width: number
  out_height: number
  aids: Aids
  live: boolean
  viewer: string
  /** Show the difference from another subject instead. */
  against?: { subject: ViewSubject; gain: number; measure: 'linear' | 'display' } | null
}

/** A picture, and the part of the displayed picture that it shows: perhaps a little more than was requested. */
export interface ImageAnswer {
  file: Blob
  milliseconds: number
  region: Region
}

/** A picture of a variant, as the file that the server sends; `signal` gives it up. */
export async function fetchImage(
  variantId: number,
  request: ImageRequestBody,
  signal?: AbortSignal,
): Promise<ImageAnswer> {
  const response = await postJson(`/api/variants/${variantId}/picture`, request, signal)
  const milliseconds = Number(response.headers.get('X-Milliseconds'))
  const [x, y, width, height] = (response.headers.get('X-Region') ?? '').split(' ').map(Number)
  const region = { x: x!, y: y!, width: width!, height: height! }
  return { file: await response.blob(), milliseconds, region }
}

/** The sheet of a board's small pictures, as an address for CSS; revoke it when it is replaced. */
export async function fetchBoardSheet(
  variantId: number,
  request: Draft & { frame: number | null; lifted: boolean },
) {
  const response = await postJson(`/api/variants/${variantId}/board/sheet`, request)
  return URL.createObjectURL(await response.blob())
}

/** The sheet of the small pictures of mattes, as an address for CSS; revoke it when it is replaced. */
export async function fetchShelfSheet(
  variantId: number,
  request: Draft & { frame: number | null; first: number; count: number },
) {
  const response = await postJson(`/api/variants/${variantId}/mattes/sheet`, request)
  return URL.createObjectURL(await response.blob())
}

/** The sheet of the small pictures of layers, as an address for CSS; revoke it when it is replaced. */
export async function fetchPlateSheet(variantId: number, request: Draft & { frame: number | null }) {
  const response = await postJson(`/api/variants/${variantId}/plate/sheet`, request)
  return URL.createObjectURL(await response.blob())
}

export interface ScopeRequest extends ViewSubject {
  kind: 'waveform' | 'parade' | 'histogram' | 'overlay' | 'chromaticity'
  scale: 'stops' | 'display'
  columns: number
  rows: number
  region: Region | null
  object_name: string | null
}

/** A scope's picture, as an address; revoke it when it is replaced. */
export async function fetchScope(variantId: number, request: ScopeRequest) {
  const response = await postJson(`/api/variants/${variantId}/scope`, request)
  return URL.createObjectURL(await response.blob())
}

export function passPicture(
  shotId: number,
  name: string,
  width: number,
  frame: number | null,
  key: string,
  lift = 0,
): string {
  return `/api/shots/${shotId}/pass?name=${encodeURIComponent(name)}&width=${width}&lift=${lift}&${frameQuery(frame)}${key}`
}

/** The part of an address that names a frame; nothing for the first. */
export function frameQuery(frame: number | null): string {
  return frame === null ? '' : `frame=${frame}&`
}

/** The numbers behind the pixels of a small region, by channel, row and column. */
export async function fetchValues(variantId: number, request: ViewSubject & { region: Region }) {
  const response = await postJson(`/api/variants/${variantId}/values`, request)
  return ((await response.json()) as { channels: (number | null)[][][] }).channels
}

/** Bring in a picture to compare with. */
export async function bringPicture(file: File): Promise<{ picture: string; title: string }> {
  return (await sent(`/api/pictures/${encodeURIComponent(file.name)}`, { method: 'PUT', body: file })).json()
}

/** Stream one file to the server, if it has space for it; files of one batch lie side by side there. */
export async function upload(file: File, batch: string): Promise<string> {
  await sent(`/api/uploads/capacity?bytes=${file.size}`, { method: 'GET' })
  const address = `/api/uploads/${encodeURIComponent(file.name)}`
  const response = await sent(address, { method: 'PUT', body: file, headers: { 'X-Batch': batch } })
  return ((await response.json()) as { path: string }).path
}

export async function readCdl(file: File): Promise<CdlFile> {
  const address = `/api/cdl?name=${encodeURIComponent(file.name)}`
  return (await sent(address, { method: 'POST', body: file })).json()
}

/** Bring in a colour config: its files with their places in its folder, then the whole; with the parts that cannot be used. */
export async function bringConfig(
  files: File[],
  unwrap: (done: number) => void,
): Promise<import('./types').ConfigMade> {
  const first = files[0]!
  const [top, rest] = (first.webkitRelativePath || first.name).split('/', 2) as [string, string?]
  const name = encodeURIComponent(rest === undefined ? top.replace(/\.[^.]+$/, '') : top)
  const batch = Math.random().toString(36).slice(2)
  for (const [index, file] of files.entries()) {
    unwrap(index)
    const place = file.webkitRelativePath.split('/').slice(1).join('/') || file.name
    if (USELESS.test(place)) continue
    const address = `/api/configs/${name}/files?batch=${batch}&path=${encodeURIComponent(place)}`
    await sent(address, { method: 'PUT', body: file })
  }
  return (await sent(`/api/configs/${name}?batch=${batch}`, { method: 'POST' })).json()
}
/** Files that lie about in folders, and are no part of a config. */
const USELESS = /(^|\/)\.|\.(md|txt|pdf|py|html?)$|(^|\/)(license|readme)[^/]*$/i

async function postJson(address: string, body: unknown, signal?: AbortSignal): Promise<Response> {
  return sent(address, {
    signal,
    method: 'POST',
    headers: { 'Content-Type': 'application/json' },
    body: JSON.stringify(body),
  })
}

async function sent(address: string, request: RequestInit): Promise<Response> {
  const headers = { ...CLIENT, ...request.headers }
  const response = await fetch(address, { ...request, headers }).catch(noAnswer)
  if (!response.ok) throw problemOf(response.status, await response.json().catch(() => undefined))
  return response
}
