/** Moves that the browser tells of before it draws are taken no more often than this. */
const EVERY_MS = 8

/**
 * Tells which events of a hand that moves, from pressing to letting go, to take. Those of `pointerrawupdate` come at
 * once, so that pictures are asked for early; those of `pointermove` come when the screen is drawn, and surely tell where
 * the hand came to. One that only repeats a place does not count: it would make the next come too soon, and wait for
 * the screen.
 */
export function pointerThrottle(): (event: PointerEvent) => boolean {
  let last: PointerEvent | null = null
  return (event) => {
    if (last?.clientX === event.clientX && last.clientY === event.clientY) return false
    if (last && event.type === 'pointerrawupdate' && event.timeStamp - last.timeStamp < EVERY_MS) return false
    last = event
    return true
  }
}
