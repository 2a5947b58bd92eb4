import { fetchPicture, Problem, type PictureAnswer } from '@/api/client'
import type { Region } from '@/api/types'
import type { Wish } from './pictureMessages'

/** A picture unpacked, and the part of the displayed picture that it shows. */
export interface Shown {
  bitmap: ImageBitmap
  milliseconds: number
  region: Region
}

export interface LoopHooks {
  shown: (picture: Shown, wish: Wish, settled: boolean) => void
  failed: (error: unknown) => void
}

const REST_MS = 140
const AGAIN_MS = 600
// What the server answers where a newer wish replaced this one, and where too many wait.
const REPLACED = 409
const BUSY = 503

/**
 * Keeps one request under way. A newer wish replaces the one that waits; when the hand rests, the exact picture
 * follows the fast one. The next one is asked for while the last is still unpacked. A late answer never replaces a
 * newer one.
 */
export class PictureLoop {
  private wanted: { wish: Wish; moving: boolean } | null = null
  private busy = false
  private rest: ReturnType<typeof setTimeout> | undefined
  private stopped = false
  private number = 0
  private answers = 0
  private unpacked = 0

  constructor(
    private readonly viewer: string,
    private readonly hooks: LoopHooks,
  ) {}

  stop(): void {
    this.stopped = true
    clearTimeout(this.rest)
  }

  /** Ask for a picture; `moving` while something is still dragged. */
  want(wish: Wish, moving: boolean): void {
    this.wanted = { wish, moving }
    this.number += 1
    clearTimeout(this.rest)
    void this.next()
  }

  private async next(): Promise<void> {
    if (this.busy || this.stopped || !this.wanted) return
    const { wish, moving } = this.wanted
    this.wanted = null
    const shown = await this.fetch(wish, true)
    if (this.wanted) return this.next()
    if (shown && !moving) this.settle(wish)
  }

  private settle(wish: Wish): void {
    const number = this.number
    clearTimeout(this.rest)
    this.rest = setTimeout(async () => {
      if (number !== this.number || this.busy) return
      await this.fetch(wish, false, () => number === this.number)
      if (this.wanted) void this.next()
    }, REST_MS)
  }

  private async unpack(
    answer: PictureAnswer,
    wish: Wish,
    settled: boolean,
    order: number,
    current: () => boolean,
  ): Promise<void> {
    try {
      const bitmap = await createImageBitmap(answer.file)
      if (this.stopped || order < this.unpacked || !current()) return bitmap.close()
      this.unpacked = order
      this.hooks.shown({ bitmap, milliseconds: answer.milliseconds, region: answer.region }, wish, settled)
    } catch (error) {
      if (!this.stopped) this.hooks.failed(error)
    }
  }

  /** The server has more to do than it can: ask once more in a while, unless something newer is wanted by then. */
  private async again(wish: Wish, live: boolean): Promise<void> {
    await new Promise((done) => setTimeout(done, AGAIN_MS))
    if (!this.stopped) this.wanted ??= { wish, moving: live }
  }

  private async fetch(wish: Wish, live: boolean, current: () => boolean = () => true): Promise<boolean> {
    this.busy = true
    try {
      const answer = await fetchPicture(wish.variantId, { ...wish.body, viewer: this.viewer, live })
      void this.unpack(answer, wish, !live, ++this.answers, current)
      return true
    } catch (error) {
      const status = error instanceof Problem ? error.status : 0
      if (status === BUSY) await this.again(wish, live)
      else if (!this.stopped && status !== REPLACED) this.hooks.failed(error)
      return false
    } finally {
      this.busy = false
    }
  }
}
