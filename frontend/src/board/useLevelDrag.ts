import { levelOf, levelPatch, spoken, stopsText, withPatch, type Axis } from '@/stores/levels'
import { useRoom } from '@/stores/room'
import { useShot } from '@/stores/shot'

const PIXELS_PER_STOP = 48
/** Events that come before the next screen refresh are taken no more often than this. */
const EVENTS_EVERY_MS = 8

/** Changing a level on the board: by dragging sideways, or by steps of a third of a stop. */
export function useLevelDrag() {
  const shots = useShot()
  const room = useRoom()
  let grip: { axis: Axis; name: string; x: number; stops: number; now: number } | null = null
  let taken = 0

  function begin(event: PointerEvent, axis: Axis, name: string) {
    if (event.button !== 0 || !shots.document) return
    room.choose(axis, name)
    const stops = levelOf(shots.document, axis, name).stops
    grip = { axis, name, x: event.clientX, stops, now: stops }
    ;(event.currentTarget as HTMLElement).setPointerCapture(event.pointerId)
  }

  /** Follow the hand: at once where the browser tells of moves before it draws, and surely when it draws. */
  function move(event: PointerEvent) {
    if (!grip) return
    if (event.type === 'pointerrawupdate' && event.timeStamp - taken < EVENTS_EVERY_MS) return
    taken = event.timeStamp
    const fine = event.shiftKey ? 0.1 : 1
    const stops = grip.stops + ((event.clientX - grip.x) / PIXELS_PER_STOP) * fine
    if (Math.abs(event.clientX - grip.x) < 3 && grip.now === grip.stops) return
    grip.now = Math.min(16, Math.max(-16, Math.round(stops * 100) / 100))
    show(grip.axis, grip.name, grip.now)
  }

  function end() {
    const done = grip
    grip = null
    if (!done) return
    if (done.now === done.stops) shots.preview([])
    else keep(done.axis, done.name, done.now)
  }

  function step(axis: Axis, name: string, steps: number) {
    if (!shots.variant) return
    const now = withPatch(shots.variant.document, shots.draft)
    const stops = levelOf(now, axis, name).stops + steps / 3
    keep(axis, name, Math.min(16, Math.max(-16, Math.round(stops * 100) / 100)))
  }

  function show(axis: Axis, name: string, stops: number) {
    if (!shots.variant) return
    shots.preview(levelPatch(axis, name, { ...levelOf(shots.variant.document, axis, name), stops }))
  }

  function keep(axis: Axis, name: string, stops: number) {
    show(axis, name, stops)
    void shots.edit([...shots.draft], `${spoken(name.replace('/', ', '))} ${stopsText(stops)} stops`)
  }

  return { begin, move, end, step }
}
