/** Moves that the browser tells of before it draws are taken no more often than this. */
const EVERY_MS = 8

/**
 * Tells which events of a moving hand to take. Those of `pointerrawupdate` come at once, so that pictures are asked for
 * early; those of `pointermove` come when the screen is drawn, and surely tell where the hand came to.
 */
export function handPace(): (event: PointerEvent) => boolean {
  let taken = 0
  return (event) => {
    if (event.type === 'pointerrawupdate' && event.timeStamp - taken < EVERY_MS) return false
    taken = event.timeStamp
    return true
  }
}
