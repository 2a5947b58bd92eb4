import { ref, type Ref } from 'vue'
import { useRoom } from '@/stores/room'
import type { FrameCanvas, Place } from './FrameCanvas'
import { useLightGrip } from './useLightGrip'

const NEAR_PIN = 14
const NEAR_WIPE = 8

interface Marks {
  pin: Ref<Place | null>
  wipe: Ref<number | null>
}

/** Pointer and keys on the picture: pan, zoom, the pin, the wipe, and at Balance the light under the hand. */
export function usePictureHand(
  frame: () => FrameCanvas | null,
  canvas: Ref<HTMLCanvasElement | undefined>,
  size: Ref<{ width: number; height: number }>,
  marks: Marks,
) {
  const room = useRoom()
  const grip = useLightGrip()
  const gripping = ref(false)
  let down: { at: Place; last: Place; moved: boolean; does: 'pan' | 'wipe' | 'light' } | null = null

  function placeOf(event: MouseEvent): Place {
    const box = canvas.value!.getBoundingClientRect()
    return { x: event.clientX - box.left, y: event.clientY - box.top }
  }

  function purpose(at: Place): 'pan' | 'wipe' | 'light' {
    if (marks.wipe.value !== null && Math.abs(at.x - marks.wipe.value) < NEAR_WIPE) return 'wipe'
    const pin = marks.pin.value
    const onPin = pin !== null && Math.hypot(at.x - pin.x, at.y - pin.y) < NEAR_PIN
    // A picture that is seen whole has nowhere to pan to.
    return room.station === 'balance' && (onPin || (room.fitted && inside(at))) ? 'light' : 'pan'
  }

  function inside(at: Place): boolean {
    const place = frame()!.toPicture(at)
    return place.x >= 0 && place.y >= 0 && place.x < size.value.width && place.y < size.value.height
  }

  function putPin(at: Place) {
    const place = frame()!.toPicture(at)
    room.pin = inside(at) ? { x: Math.floor(place.x), y: Math.floor(place.y) } : null
  }

  function onDown(event: PointerEvent) {
    if (event.button > 1 || !canvas.value || !frame()) return
    canvas.value.setPointerCapture(event.pointerId)
    const at = placeOf(event)
    down = { at, last: at, moved: false, does: event.button === 1 ? 'pan' : purpose(at) }
  }

  function onMove(event: PointerEvent) {
    const picture = frame()
    if (!down || !picture) return
    const at = placeOf(event)
    if (!down.moved && Math.hypot(at.x - down.at.x, at.y - down.at.y) > 3) start()
    if (down.does === 'wipe')
      room.wipe = Math.min(0.98, Math.max(0.02, picture.toPicture(at).x / size.value.width))
    else if (down.moved && down.does === 'light') grip.move(down.at, at, event.shiftKey)
    else if (down.moved) picture.pan(at.x - down.last.x, at.y - down.last.y)
    down.last = at
  }

  function start() {
    down!.moved = true
    if (down!.does !== 'light') return
    const pin = marks.pin.value
    if (!pin || Math.hypot(down!.at.x - pin.x, down!.at.y - pin.y) >= NEAR_PIN) putPin(down!.at)
    gripping.value = true
    grip.begin()
  }

  function onUp(event: PointerEvent) {
    if (!down || !frame()) return
    if (!down.moved && down.does !== 'wipe') putPin(placeOf(event))
    cancel()
  }

  function cancel() {
    if (gripping.value) grip.end()
    gripping.value = false
    down = null
  }

  function onWheel(event: WheelEvent) {
    frame()?.zoom(frame()!.scale * Math.exp(-event.deltaY * 0.0016), placeOf(event))
  }

  function onKey(event: KeyboardEvent) {
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
    const pin = room.pin ?? { x: Math.floor(width / 2), y: Math.floor(height / 2) }
    room.pin = {
      x: Math.min(width - 1, Math.max(0, pin.x + move[0])),
      y: Math.min(height - 1, Math.max(0, pin.y + move[1])),
    }
  }

  return { onDown, onMove, onUp, onWheel, onKey, cancel, gripping, words: grip.words, moving: grip.moving }
}
