import { useThrottleFn } from '@vueuse/core'
import { onScopeDispose, ref, watch, type Ref } from 'vue'
import { fetchScope } from '@/api/client'
import { useRoom } from '@/stores/room'
import { useShot } from '@/stores/shot'
import { useTroubles } from '@/stores/troubles'

export type ScopeKind = 'waveform' | 'parade'

const MOVING_MS = 400

/** The address of a scope's picture, following every edit, one request at a time, calmly while something moves. */
export function useScope(kind: Ref<ScopeKind>) {
  const shots = useShot()
  const room = useRoom()
  const troubles = useTroubles()
  const picture = ref('')
  let busy = false
  let again = false

  async function load(): Promise<void> {
    const id = shots.variant?.id
    if (id === undefined) return
    if (busy) return void (again = true)
    busy = true
    try {
      const wish = { kind: kind.value, patch: shots.draft, frame: room.frame, station: room.tap }
      const address = await fetchScope(id, wish)
      if (picture.value) URL.revokeObjectURL(picture.value)
      picture.value = address
    } catch (error) {
      troubles.tell(error)
    } finally {
      busy = false
    }
    if (again) {
      again = false
      void load()
    }
  }

  const calmly = useThrottleFn(load, MOVING_MS, true)
  watch(
    () => [
      kind.value,
      shots.variant?.id,
      shots.variant?.head,
      shots.draft,
      room.frame,
      room.tap,
      shots.renderKey,
    ],
    () => (shots.draft.length ? calmly() : load()),
    { immediate: true },
  )
  onScopeDispose(() => picture.value && URL.revokeObjectURL(picture.value))
  return { picture, low: -10, high: 8 }
}
