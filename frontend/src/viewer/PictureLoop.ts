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

// One on its way from the server, and one that the server works on.
const MOST_UNDER_WAY = 2

/**
 * Keeps the server busy with one picture at a time: the next is asked for when the last is thought to be made, while it
 * is still on its way and unpacked. Until then a newer wish replaces the one that waits. When the hand rests, the exact
 * picture follows the fast one, and is given up when something newer is wanted. A late answer never replaces a newer
 * one.
 */
export class PictureLoop {
  private wanted: { wish: Wish; moving: boolean } | null = null
  private underWay = 0
  /** When the server is thought to have made what it was last asked for. */
  private madeAt = 0
  /** From asking until then, as it was the last time. */
  private makingMs = 0
  private turn: ReturnType<typeof setTimeout> | undefined
  /** What was last asked for, if the hand rests on it: its exact picture comes next. */
  private resting: Wish | null = null
  private settling: AbortController | null = null
  private rest: ReturnType<typeof setTimeout> | undefined
  private stopped = false
  private asked = 0
  private unpacked = 0

  constructor(
    private readonly viewer: string,
    private readonly hooks: LoopHooks,
  ) {}

  stop(): void {
    this.stopped = true
    clearTimeout(this.rest)
    clearTimeout(this.turn)
    this.settling?.abort()
  }

  /** Ask for a picture; `moving` while something is still dragged. */
  want(wish: Wish, moving: boolean): void {
    this.wanted = { wish, moving }
    clearTimeout(this.rest)
    this.settling?.abort()
    void this.next()
  }

  private async next(): Promise<void> {
    clearTimeout(this.turn)
    if (this.stopped || !this.wanted || this.underWay >= MOST_UNDER_WAY) return
    const early = this.underWay ? this.madeAt - performance.now() : 0
    if (early > 0) {
      this.turn = setTimeout(() => this.next(), early)
      return
    }
    const { wish, moving } = this.wanted
    this.wanted = null
    this.underWay += 1
    this.resting = moving ? null : wish
    const shown = await this.fetch(wish, true)
    this.underWay -= 1
    if (!shown && this.resting === wish) this.resting = null
    if (this.wanted) return this.next()
    if (this.resting && !this.underWay) this.settle(this.resting)
  }

  private settle(wish: Wish): void {
    clearTimeout(this.rest)
    this.rest = setTimeout(async () => {
      const given = (this.settling = new AbortController())
      await this.fetch(wish, false, given.signal)
      if (!given.signal.aborted && this.wanted) void this.next()
    }, REST_MS)
  }

  private async unpack(
    answer: PictureAnswer,
    wish: Wish,
    settled: boolean,
    order: number,
    signal?: AbortSignal,
  ): Promise<void> {
    try {
      const bitmap = await createImageBitmap(answer.file)
      if (this.stopped || order < this.unpacked || signal?.aborted) return bitmap.close()
      this.unpacked = order
      this.hooks.shown({ bitmap, milliseconds: answer.milliseconds, region: answer.region }, wish, settled)
    } catch (error) {
      if (!this.stopped) this.hooks.failed(error)
    }
  }

  /** Ask once more, unless something newer is wanted by now. */
  private again(wish: Wish, live: boolean): void {
    this.wanted ??= { wish, moving: live && this.resting !== wish }
  }

  private async fetch(wish: Wish, live: boolean, signal?: AbortSignal): Promise<boolean> {
    const order = ++this.asked
    const asked = performance.now()
    if (live) this.madeAt = asked + this.makingMs
    try {
      const body = { ...wish.body, viewer: this.viewer, live }
      const answer = await fetchPicture(wish.variantId, body, signal)
      // On its way there it was about as long as on its way back.
      if (live) this.makingMs = (performance.now() - asked + answer.milliseconds) / 2
      void this.unpack(answer, wish, !live, order, signal)
      return true
    } catch (error) {
      const status = error instanceof Problem ? error.status : 0
      if (this.stopped || signal?.aborted) return false
      // Of two on their way the older may come later to the server: then it replaced the newer.
      if (status === REPLACED && order === this.asked) this.again(wish, live)
      else if (status === BUSY) {
        await new Promise((done) => setTimeout(done, AGAIN_MS))
        if (order === this.asked) this.again(wish, live)
      } else if (status !== REPLACED) this.hooks.failed(error)
      return false
    }
  }
}
