import { defineStore } from 'pinia'
import { ref, shallowRef } from 'vue'
import { fetchImage } from '@/api/client'
import type { Region } from '@/api/types'
import type { ImageRequest } from '@/viewer/imageMessages'
import { useNotifications } from './notifications'

/** Where pictures come from and go to. */
interface ReelScreen {
  request: (frame: number) => ImageRequest | null
  show: (frame: number, bitmap: ImageBitmap, region: Region) => void
}

interface Kept {
  bitmap: ImageBitmap
  region: Region
}

/** Pictures kept ahead take at most so many bytes. */
const BUDGET = 512 * 2 ** 20
const BYTES_PER_PIXEL = 4
/** The name of the marks of frames that were shown, for whoever measures. */
const SHOWN = 'frame shown'
/** How often it is told which frames are ready. */
const TOLD_MS = 200

/**
 * Plays a sequence from pictures that were made ahead: each frame is requested once, kept, and shown when its time
 * comes. A frame that is not there yet is waited for, and the rate shown is the one that was reached.
 */
export const usePlayback = defineStore('playback', () => {
  const notifications = useNotifications()
  const playing = ref(false)
  /** Frames a second as they really come. */
  const rate = ref(0)
  /** The frames that are ready to be shown. */
  const ready = shallowRef<readonly number[]>([])
  /** The first and the last frame that is played; null: of the sequence. */
  const inPoint = ref<number | null>(null)
  const outPoint = ref<number | null>(null)
  const loops = ref(true)
  const kept = new Map<number, Kept>()
  const underWay = new Set<number>()
  let screen: ReelScreen | null = null
  let frames: number[] = []
  let current = 0
  let interval = 1000 / 24
  let due = 0
  let shownAt = 0
  /** Milliseconds from frame to frame, as they were on the mean of late. */
  let pause = 0
  let state = ''
  let preparing = false
  let told: ReturnType<typeof setTimeout> | undefined

  function attach(made: ReelScreen | null) {
    screen = made
    if (!made) stop()
  }

  function play(all: number[], from: number, wantedRate: number) {
    const within = all.filter((n) => n >= (inPoint.value ?? n) && n <= (outPoint.value ?? n))
    frames = within.length ? within : all
    current = Math.max(0, frames.indexOf(from))
    if (!loops.value && current === frames.length - 1) current = 0
    performance.clearMarks(SHOWN)
    interval = 1000 / wantedRate
    rate.value = 0
    shownAt = due = performance.now()
    playing.value = true
    void prepare()
    requestAnimationFrame(tick)
  }

  function stop() {
    playing.value = false
    forget()
  }

  function forget() {
    for (const { bitmap } of kept.values()) bitmap.close()
    kept.clear()
    tell()
  }

  function tell() {
    told ??= setTimeout(() => {
      told = undefined
      ready.value = [...kept.keys()].sort((a, b) => a - b)
    }, TOLD_MS)
  }

  /** Make the frames that are missing, the next to be shown first, as far ahead as the budget allows. */
  async function prepare() {
    if (preparing) return
    preparing = true
    try {
      await Promise.all([makeMissing(), makeMissing()])
    } catch (error) {
      if (playing.value) notifications.show(error)
      playing.value = false
    } finally {
      preparing = false
    }
  }

  /** Two at a time: one is decoded while another is evaluated. */
  async function makeMissing() {
    for (let next = missing(); next !== null && playing.value; next = missing()) {
      underWay.add(next)
      await make(next).finally(() => underWay.delete(next!))
    }
  }

  function missing(): number | null {
    const request = screen?.request(frames[current]!)
    if (!request) return null
    const now = JSON.stringify([request.variantId, { ...request.body, frame: 0 }])
    if (now !== state) forget()
    state = now
    const room = roomFor(request)
    const rest = loops.value ? frames.length : frames.length - current
    for (let ahead = 0; ahead < Math.min(rest, room); ahead += 1) {
      const number = frames[(current + ahead) % frames.length]!
      if (!kept.has(number) && !underWay.has(number)) return number
    }
    return null
  }

  async function make(number: number) {
    const request = screen?.request(number)
    if (!request) return
    const begun = state
    const answer = await fetchImage(request.variantId, { ...request.body, viewer: '', live: true })
    const bitmap = await createImageBitmap(answer.file)
    if (begun !== state || !playing.value) return bitmap.close()
    kept.set(number, { bitmap, region: answer.region })
    letGo(request)
    tell()
  }

  /** How many pictures of a request's size may be kept. */
  function roomFor({ body }: ImageRequest): number {
    return Math.max(2, Math.floor(BUDGET / (body.out_width * body.out_height * BYTES_PER_PIXEL)))
  }

  /** Beyond the budget, what was shown longest ago goes. */
  function letGo(request: ImageRequest) {
    const room = roomFor(request)
    for (let behind = 1; kept.size > room && behind < frames.length; behind += 1) {
      const number = frames[(current - behind + frames.length) % frames.length]!
      kept.get(number)?.bitmap.close()
      kept.delete(number)
    }
  }

  function tick(now: number) {
    if (!playing.value) return
    const next = kept.get(frames[current]!)
    if (now >= due && next) void present(next, now)
    if (!preparing) void prepare()
    requestAnimationFrame(tick)
  }

  async function present(picture: Kept, now: number) {
    const taken = now - shownAt
    pause = rate.value ? 0.9 * pause + 0.1 * taken : taken
    rate.value = 1000 / Math.max(1, pause)
    shownAt = now
    due = Math.max(due + interval, now)
    const number = frames[current]!
    performance.mark(SHOWN, { startTime: now, detail: number })
    current = (current + 1) % frames.length
    const isOver = current === 0 && !loops.value
    screen?.show(number, await createImageBitmap(picture.bitmap), picture.region)
    if (isOver) stop()
  }

  return { playing, rate, ready, inPoint, outPoint, loops, attach, play, stop }
})
