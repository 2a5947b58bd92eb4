/** Moves that the browser reports before it draws are taken no more often than this. */
const EVERY_MS = 8

/**
 * Decides which pointer events of a drag are taken. Those of `pointerrawupdate` come at
 * once, so that images are requested early; those of `pointermove` come when the screen is drawn, and surely tell where
 * the pointer came to. One that only repeats a place does not count: it would make the next come too soon, and wait for
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
