import { fetchImage, Problem, type ImageAnswer } from '@/api/client'
import type { Region } from '@/api/types'
import type { ImageRequest } from './imageMessages'

/** A picture unpacked, and the part of the displayed picture that it shows. */
interface Shown {
  bitmap: ImageBitmap
  milliseconds: number
  region: Region
}

interface LoopHooks {
  shown: (picture: Shown, request: ImageRequest, settled: boolean) => void
  failed: (error: unknown) => void
}

const REST_MS = 140
// What the server answers where another request of this viewer replaced this one or it was stopped, and where too
// many wait.
const REPLACED = 409
const SUPERSEDED = 'Superseded'
const BUSY = 503
// When a request is repeated. An aborted one that reaches the server late supersedes the newest.
const BUSY_MS = 600
const SUPERSEDED_MS = 50

/**
 * Keeps one request under way. A newer request replaces the one that waits; when dragging pauses, the exact image
 * follows the fast one, and is aborted when something newer is requested. The next image is requested while the last
 * is still decoded. A late answer never replaces a newer one, and the newest request is repeated if it is superseded.
 */
export class ImageScheduler {
  private wanted: { request: ImageRequest; moving: boolean } | null = null
  private busy = false
  private settling: AbortController | null = null
  private rest: ReturnType<typeof setTimeout> | undefined
  private stopped = false
  private number = 0
  private moving = false
  private answers = 0
  private unpacked = 0

  constructor(
    private readonly viewer: string,
    private readonly hooks: LoopHooks,
  ) {}

  stop(): void {
    this.stopped = true
    clearTimeout(this.rest)
    this.settling?.abort()
  }

  /** Ask for a picture; `moving` while something is still dragged. */
  request(request: ImageRequest, moving: boolean): void {
    this.wanted = { request, moving }
    this.moving = moving
    this.number += 1
    clearTimeout(this.rest)
    this.settling?.abort()
    void this.next()
  }

  private async next(): Promise<void> {
    if (this.busy || this.stopped || !this.wanted) return
    const { request, moving } = this.wanted
    this.wanted = null
    this.busy = true
    const shown = await this.fetch(request, true)
    this.busy = false
    if (this.wanted) return this.next()
    if (shown && !moving) this.settle(request)
  }

  private settle(request: ImageRequest): void {
    clearTimeout(this.rest)
    this.rest = setTimeout(async () => {
      const given = (this.settling = new AbortController())
      await this.fetch(request, false, given.signal)
      if (!given.signal.aborted && this.wanted) void this.next()
    }, REST_MS)
  }

  private async unpack(
    answer: ImageAnswer,
    request: ImageRequest,
    settled: boolean,
    order: number,
    signal?: AbortSignal,
  ): Promise<void> {
    try {
      const bitmap = await createImageBitmap(answer.file)
      if (this.stopped || order < this.unpacked || signal?.aborted) return bitmap.close()
      this.unpacked = order
      this.hooks.shown({ bitmap, milliseconds: answer.milliseconds, region: answer.region }, request, settled)
    } catch (error) {
      if (!this.stopped) this.hooks.failed(error)
    }
  }

  /** Repeat a request after a delay, unless something newer is wanted by then. */
  private async again(request: ImageRequest, delay: number): Promise<void> {
    const number = this.number
    await new Promise((done) => setTimeout(done, delay))
    if (!this.stopped && number === this.number) this.wanted = { request, moving: this.moving }
  }

  private async fetch(request: ImageRequest, live: boolean, signal?: AbortSignal): Promise<boolean> {
    try {
      const body = { ...request.body, viewer: this.viewer, live }
      const answer = await fetchImage(request.variantId, body, signal)
      void this.unpack(answer, request, !live, ++this.answers, signal)
      return true
    } catch (error) {
      const { status, title } = error instanceof Problem ? error : { status: 0, title: '' }
      if (this.stopped || signal?.aborted) return false
      if (status === BUSY) await this.again(request, BUSY_MS)
      else if (title === SUPERSEDED && !this.wanted) await this.again(request, SUPERSEDED_MS)
      else if (status !== REPLACED) this.hooks.failed(error)
      return false
    }
  }
}
