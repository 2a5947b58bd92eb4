import { ref } from 'vue'

/** What images that follow a movement may take on the line, and what the exact one may. */
const MOVING_MS = 120
const EXACT_MS = 4000
/** An exact image, without loss, has about so many bytes for each of the compressed one. */
const EXACT_RATIO = 6
/** Shares of the sides of an image that are tried while it moves. */
const SHARES = [1, 0.5, 0.25]
/** So much of a new measurement counts. */
const NEW = 0.4
/** Bytes below which the time on the line says nothing. */
const FEWEST = 2000

/** How quick the line to the server is, measured on the images themselves, and what is requested on it. */
export function useLine() {
  /** The mean of times, not of rates: one slow image counts at once. */
  const msPerByte = ref<number | null>(null)
  const bytesPerPixel = ref(0)

  /** Of an answer: its bytes, the time on the line after the server began to answer, and its pixels. */
  function measure(bytes: number, milliseconds: number, pixels: number, isExact: boolean) {
    if (!isExact) bytesPerPixel.value = bytes / Math.max(1, pixels)
    if (bytes < FEWEST) return
    const time = milliseconds / bytes
    msPerByte.value = msPerByte.value === null ? time : msPerByte.value * (1 - NEW) + time * NEW
  }

  const timeOf = (pixels: number, ratio = 1) => bytesPerPixel.value * pixels * ratio * (msPerByte.value ?? 0)

  /** The share of its sides at which an image of so many pixels follows a movement. */
  const shareWhileMoving = (pixels: number) =>
    SHARES.find((share) => timeOf(pixels * share * share) <= MOVING_MS) ?? SHARES.at(-1)!

  /** Whether the exact image comes by itself, or only when it is requested. */
  const carriesExact = (pixels: number) => timeOf(pixels, EXACT_RATIO) <= EXACT_MS

  return { measure, shareWhileMoving, carriesExact }
}
