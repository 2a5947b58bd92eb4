import type { ImageRequestBody } from '@/api/client'
import type { Region } from '@/api/types'
import type { Framing } from './framing'

/** A requested image of a variant, and when it was requested. */
export interface ImageRequest {
  variantId: number
  requestedAt: number
  body: Omit<ImageRequestBody, 'viewer' | 'live'>
}

/** The viewer that the server knows a page's picture of a key by. */
export function viewerOf(key: string, page: string): string {
  return `${key} ${page}`
}

/** Messages of the page to the worker that fetches and draws images. */
export type WorkerRequest =
  | { type: 'begin'; canvas: OffscreenCanvas; viewer: string }
  | { type: 'frame'; framing: Framing }
  | { type: 'request'; key: string; request: ImageRequest; moving: boolean }
  | { type: 'show'; key: string; bitmap: ImageBitmap; region: Region }
  /** Images of other keys are released, and no longer requested. */
  | { type: 'keep'; keys: string[] }

export interface Painted {
  key: string
  request: ImageRequest
  settled: boolean
  /** How long the server took. */
  milliseconds: number
  /** When it was painted, on the clock of the page's time origin and `performance.now()`. */
  at: number
}

/** Messages of the worker to the page. */
export type WorkerMessage =
  { type: 'painted'; painted: Painted } | { type: 'failed'; status: number; sentence: string }
