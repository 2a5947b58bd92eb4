import { ref, type Ref } from 'vue'
import { pointerThrottle } from '@/widgets/pointerThrottle'
import { useWorkspace } from '@/stores/workspace'
import { usePointerTool } from '@/stores/pointerTool'
import { useHolds } from '@/stores/holds'
import type { FrameCanvas } from './FrameCanvas'
import { wipeAxes, type Place } from './framing'

const NEAR_PIN = 14
const NEAR_WIPE = 8

type Gesture = 'pan' | 'wipe' | 'grip'

interface Marks {
  pin: Ref<Place | null>
  wipe: Ref<Place | null>
}

/** Pointer and keys on the picture: pan, zoom, the pin, the wipe, and what the open station lets the pointer grip. */
export function useImagePointer(
  frame: () => FrameCanvas | null,
  canvas: Ref<HTMLCanvasElement | undefined>,
  size: Ref<{ width: number; height: number }>,
  marks: Marks,
) {
  const workspace = useWorkspace()
  const holds = useHolds()
  const pointerTools = usePointerTool()
  const gripping = ref(false)
  let takes = pointerThrottle()
  let down: { at: Place; last: Place; moved: boolean; gesture: Gesture } | null = null
  /** Fingers on the image by their pointers: two of them zoom and pan. */
  const fingers = new Map<number, Place>()

  function placeOf(event: MouseEvent): Place {
    const box = canvas.value!.getBoundingClientRect()
    return { x: event.clientX - box.left, y: event.clientY - box.top }
  }

  function purpose(at: Place): Gesture {
    if (nearWipe(at)) return 'wipe'
    // A picture that is seen whole has nowhere to pan to.
    if (pointerTools.grip?.everywhere) return 'grip'
    return pointerTools.grip && (onPin(at) || (workspace.fitted && inside(at))) ? 'grip' : 'pan'
  }

  function onPin(at: Place): boolean {
    const pin = marks.pin.value
    return pin !== null && Math.hypot(at.x - pin.x, at.y - pin.y) < NEAR_PIN
  }

  function nearWipe(at: Place): boolean {
    const middle = marks.wipe.value
    if (!middle) return false
    const { across } = wipeAxes(holds.wipe)
    return Math.abs((at.x - middle.x) * across.x + (at.y - middle.y) * across.y) < NEAR_WIPE
  }

  /** Move the line of the wipe under the pointer; with Shift it leans towards it. */
  function moveWipe(at: Place, lean: boolean) {
    const middle = marks.wipe.value
    if (!middle) return
    if (lean) {
      const turn = (Math.atan2(at.y - middle.y, at.x - middle.x) * 180) / Math.PI - 90
      holds.wipe = { ...holds.wipe, angle: Math.round(((turn + 270) % 180) - 90) }
      return
    }
    const place = frame()!.toPicture(at)
    const within = (value: number) => Math.min(0.98, Math.max(0.02, value))
    const { width, height } = size.value
    holds.wipe = { ...holds.wipe, x: within(place.x / width), y: within(place.y / height) }
  }

  function inside(at: Place): boolean {
    const place = frame()!.toPicture(at)
    return place.x >= 0 && place.y >= 0 && place.x < size.value.width && place.y < size.value.height
  }

  function pixelAt(at: Place): Place | null {
    const place = frame()!.toPicture(at)
    return inside(at) ? { x: Math.floor(place.x), y: Math.floor(place.y) } : null
  }

  function onDown(event: PointerEvent) {
    if (event.button > 1 || !canvas.value || !frame()) return
    canvas.value.setPointerCapture(event.pointerId)
    const at = placeOf(event)
    if (event.pointerType === 'touch') fingers.set(event.pointerId, at)
    if (fingers.size > 1) return cancel()
    down = { at, last: at, moved: false, gesture: event.button === 1 ? 'pan' : purpose(at) }
    takes = pointerThrottle()
  }

  function onMove(event: PointerEvent) {
    const picture = frame()
    if (!picture) return
    const at = placeOf(event)
    if (fingers.size > 1) return pinch(event.pointerId, at)
    workspace.hover = down ? null : pixelAt(at)
    if (!down) return pointerTools.grip?.hover?.(picture.toPicture(at))
    if (!down.moved && Math.hypot(at.x - down.at.x, at.y - down.at.y) > 3) start(event)
    if (down.gesture === 'wipe') moveWipe(at, event.shiftKey)
    else if (down.moved && down.gesture !== 'grip') picture.pan(at.x - down.last.x, at.y - down.last.y)
    else if (down.moved && takes(event)) follow(at, event.shiftKey)
    down.last = at
  }

  /** Two fingers: the image is zoomed by how they part, and moves with their middle. */
  function pinch(finger: number, at: Place) {
    if (!fingers.has(finger)) return
    const [a, b] = [...fingers.values()] as [Place, Place]
    const before = { x: (a.x + b.x) / 2, y: (a.y + b.y) / 2, apart: Math.hypot(a.x - b.x, a.y - b.y) }
    fingers.set(finger, at)
    const [c, d] = [...fingers.values()] as [Place, Place]
    const middle = { x: (c.x + d.x) / 2, y: (c.y + d.y) / 2 }
    const picture = frame()!
    if (before.apart > 0)
      picture.zoom((picture.scale * Math.hypot(c.x - d.x, c.y - d.y)) / before.apart, middle)
    picture.pan(middle.x - before.x, middle.y - before.y)
  }

  /** What is gripped follows the pointer before the screen is drawn. */
  function onEarlyMove(event: PointerEvent) {
    if (fingers.size < 2 && down?.moved && down.gesture === 'grip' && takes(event))
      follow(placeOf(event), event.shiftKey)
  }

  function follow(at: Place, fine: boolean) {
    pointerTools.grip?.move(offset(down!.at, at), fine, frame()!.toPicture(at))
  }

  function start(event: PointerEvent) {
    down!.moved = true
    if (down!.gesture !== 'grip') return
    gripping.value = true
    const onIt = !pointerTools.grip?.everywhere && onPin(down!.at)
    const keys = { alt: event.altKey, ctrl: event.ctrlKey || event.metaKey }
    pointerTools.grip?.begin(onIt ? null : pixelAt(down!.at), frame()!.toPicture(down!.at), keys)
  }

  function onUp(event: PointerEvent) {
    fingers.delete(event.pointerId)
    if (!down || !frame()) return
    const at = placeOf(event)
    if (!down.moved && down.gesture === 'grip' && pointerTools.grip?.click)
      pointerTools.grip.click(frame()!.toPicture(at))
    else if (!down.moved && down.gesture !== 'wipe') workspace.putPin(pixelAt(at), event.shiftKey)
    cancel()
  }

  function cancel(event?: PointerEvent) {
    if (event) fingers.delete(event.pointerId)
    if (gripping.value) pointerTools.grip?.end()
    gripping.value = false
    down = null
  }

  function onWheel(event: WheelEvent) {
    frame()?.zoom(frame()!.scale * Math.exp(-event.deltaY * 0.0016), placeOf(event))
  }

  function onKey(event: KeyboardEvent) {
    if (event.key === 'Delete' && workspace.pin) return workspace.putPin(null)
    if (event.key === 'Enter' && workspace.pin)
      return pointerTools.grip?.click?.({ x: workspace.pin.x + 0.5, y: workspace.pin.y + 0.5 })
    const step = event.shiftKey ? 10 : 1
    const moves: Record<string, [number, number]> = {
      ArrowLeft: [-step, 0],
      ArrowRight: [step, 0],
      ArrowUp: [0, -step],
      ArrowDown: [0, step],
    }
    const move = moves[event.key]
    if (!move) return
    event.preventDefault()
    const { width, height } = size.value
    const pin = workspace.pin ?? { x: Math.floor(width / 2), y: Math.floor(height / 2) }
    workspace.putPin({
      x: Math.min(width - 1, Math.max(0, pin.x + move[0])),
      y: Math.min(height - 1, Math.max(0, pin.y + move[1])),
    })
  }

  function onLeave() {
    workspace.hover = null
    pointerTools.grip?.hover?.(null)
  }
  return {
    onDown,
    onLeave,
    onMove,
    onEarlyMove,
    onUp,
    onWheel,
    onKey,
    cancel,
    gripping,
  }
}

function offset(from: Place, to: Place): Place {
  return { x: to.x - from.x, y: to.y - from.y }
}
