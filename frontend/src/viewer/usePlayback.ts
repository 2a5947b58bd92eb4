import { onScopeDispose, ref, watch } from 'vue'
import { useRoom } from '@/stores/room'

/** Plays a sequence: the next frame is asked for when this one is on the screen, and never sooner than the rate asks. */
export function usePlayback(step: (by: number) => void, wantedRate: () => number) {
  const room = useRoom()
  const playing = ref(false)
  /** Frames a second as they really come. */
  const rate = ref(0)
  let due: ReturnType<typeof setTimeout> | undefined
  let steppedAt = 0

  function next() {
    const now = performance.now()
    const shown = 1000 / Math.max(1, now - steppedAt)
    rate.value = rate.value ? 0.8 * rate.value + 0.2 * shown : shown
    steppedAt = now
    step(1)
  }

  function schedule() {
    clearTimeout(due)
    if (playing.value) due = setTimeout(next, 1000 / wantedRate() - (performance.now() - steppedAt))
  }

  watch(() => room.pictures, schedule)
  watch(playing, () => {
    rate.value = 0
    steppedAt = performance.now()
    schedule()
  })
  onScopeDispose(() => clearTimeout(due))
  return { playing, rate }
}
