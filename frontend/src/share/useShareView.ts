import type { Ref } from 'vue'
import type { View } from './ShareImage.vue'

interface Shown {
  left: number
  top: number
  scale: number
}
interface At {
  x: number
  y: number
}

const MOST = 16
/** A press that moves less, in screen pixels, is a click. */
const STILL = 4

/** Pan, zoom and clicks by mouse, pen and fingers on an image that is seen through a view. */
export function useShareView(view: Ref<View>, shown: () => Shown | null, onClick: (at: At) => void) {
  const fingers = new Map<number, At>()

  const inBox = (event: MouseEvent, box: HTMLElement): At => {
    const { left, top } = box.getBoundingClientRect()
    return { x: event.clientX - left, y: event.clientY - top }
  }
  const pointOf = ([x, y]: readonly [number, number]): At => {
    const at = shown()
    return at ? { x: at.left + x * at.scale, y: at.top + y * at.scale } : { x: -99, y: -99 }
  }

  /** Zoom about a place on the screen, the middle by default. */
  function zoomBy(factor: number, event?: WheelEvent | { at: At; box: HTMLElement }) {
    const now = shown()
    const box = event && 'at' in event ? event.box : (event?.currentTarget as HTMLElement | undefined)
    const frame = box ?? document.querySelector<HTMLElement>('.image')
    if (!now || !frame) return
    const middle = { x: frame.clientWidth / 2, y: frame.clientHeight / 2 }
    const at = !event ? middle : 'at' in event ? event.at : inBox(event, frame)
    const scale = Math.min(MOST, Math.max(0.02, now.scale * factor))
    const pixel = { x: (at.x - now.left) / now.scale, y: (at.y - now.top) / now.scale }
    view.value = {
      scale,
      x: pixel.x - (at.x - middle.x) / scale,
      y: pixel.y - (at.y - middle.y) / scale,
    }
  }

  function press(event: PointerEvent) {
    const box = event.currentTarget as HTMLElement
    if ((event.target as HTMLElement).closest('button')) return
    fingers.set(event.pointerId, inBox(event, box))
    box.setPointerCapture(event.pointerId)
    let moved = 0

    function move(next: PointerEvent) {
      const before = fingers.get(next.pointerId)
      const now = shown()
      if (!before || !now) return
      const at = inBox(next, box)
      moved += Math.hypot(at.x - before.x, at.y - before.y)
      const others = [...fingers].filter(([id]) => id !== next.pointerId).map(([, place]) => place)
      fingers.set(next.pointerId, at)
      const still = others[0]
      if (still) {
        const factor =
          Math.hypot(at.x - still.x, at.y - still.y) / Math.hypot(before.x - still.x, before.y - still.y)
        return zoomBy(Number.isFinite(factor) ? factor : 1, { at: still, box })
      }
      if (moved < STILL) return
      const x = (box.clientWidth / 2 - now.left) / now.scale - (at.x - before.x) / now.scale
      const y = (box.clientHeight / 2 - now.top) / now.scale - (at.y - before.y) / now.scale
      view.value = { scale: now.scale, x, y }
    }
    function end(last: PointerEvent) {
      fingers.delete(last.pointerId)
      box.removeEventListener('pointermove', move)
      box.removeEventListener('pointerup', end)
      box.removeEventListener('pointercancel', end)
      const now = shown()
      if (moved >= STILL || !now || last.type === 'pointercancel' || fingers.size) return
      const at = inBox(last, box)
      onClick({ x: (at.x - now.left) / now.scale, y: (at.y - now.top) / now.scale })
    }
    box.addEventListener('pointermove', move)
    box.addEventListener('pointerup', end)
    box.addEventListener('pointercancel', end)
  }

  return { press, zoomBy, pointOf }
}
