import { useDebounceFn } from '@vueuse/core'
import { watch, type WatchSource } from 'vue'
import type { Draft } from '@/api/types'
import { usePlayback } from '@/stores/playback'
import { useWorkspace } from '@/stores/workspace'
import { useShot } from '@/stores/shot'
import { useNotifications } from '@/stores/notifications'

/** While something moves, what follows it waits for a pause, so that the large image has the machine. */
const PAUSE_MS = 160
/** But not for longer than this. */
const LONGEST_MS = 2000

/**
 * Keep something loaded that follows every edit of the variant on the bench: one request at a time, the newest request
 * after the one under way. `also`: what else it depends on.
 */
export function useSteadily(
  load: (variantId: number, draft: Draft) => Promise<void>,
  also: WatchSource<unknown> = () => null,
) {
  const shots = useShot()
  const workspace = useWorkspace()
  const notifications = useNotifications()
  const playback = usePlayback()
  let busy = false
  let again = false

  async function next(): Promise<void> {
    const id = shots.variant?.id
    if (id === undefined) return
    if (busy) return void (again = true)
    busy = true
    try {
      await load(id, shots.draft)
    } catch (error) {
      notifications.show(error)
    } finally {
      busy = false
    }
    if (again) {
      again = false
      void next()
    }
  }

  const calmly = useDebounceFn(next, PAUSE_MS, { maxWait: LONGEST_MS })
  watch(
    [
      also,
      () => [
        shots.variant?.id,
        shots.variant?.head,
        shots.draft,
        workspace.frame,
        shots.renderKey,
        playback.playing,
      ],
    ],
    // What follows a sequence that plays would only slow it: it catches up when it stops.
    () => (playback.playing ? undefined : shots.draft.patch.length ? calmly() : next()),
    { immediate: true },
  )
}
