import type { ImageRequestBody } from '@/api/client'
import type { Region } from '@/api/types'
import type { Framing } from './framing'

/** A picture of a variant that is wanted, and when it was asked for. */
export interface ImageRequest {
  variantId: number
  asked: number
  body: Omit<ImageRequestBody, 'viewer' | 'live'>
}

/** The viewer that the server knows a page's picture of a key by. */
export function viewerOf(key: string, page: string): string {
  return `${key} ${page}`
}

/** What the page tells the thread that fetches and draws pictures. */
export type WorkerRequest =
  | { type: 'begin'; canvas: OffscreenCanvas; viewer: string }
  | { type: 'frame'; framing: Framing }
  | { type: 'request'; key: string; request: ImageRequest; moving: boolean }
  | { type: 'show'; key: string; bitmap: ImageBitmap; region: Region }
  /** Pictures of other keys are let go, and no longer asked for. */
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

/** What that thread tells the page. */
export type WorkerMessage =
  { type: 'painted'; painted: Painted } | { type: 'failed'; status: number; sentence: string }
