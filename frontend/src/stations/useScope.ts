import { onScopeDispose, ref, type Ref } from 'vue'
import { fetchScope } from '@/api/client'
import type { PatchStep } from '@/api/types'
import { useRoom } from '@/stores/room'
import { useSteadily } from '@/stores/useSteadily'

export type ScopeKind = 'waveform' | 'parade'

/** The address of a scope's picture, following every edit; its axis runs from `low` to `high` stops. */
export function useScope(kind: Ref<ScopeKind>) {
  const room = useRoom()
  const picture = ref('')

  async function load(id: number, patch: PatchStep[]): Promise<void> {
    const address = await fetchScope(id, { kind: kind.value, patch, frame: room.frame, station: room.tap })
    if (picture.value) URL.revokeObjectURL(picture.value)
    picture.value = address
  }

  useSteadily(load, () => [kind.value, room.tap])
  onScopeDispose(() => picture.value && URL.revokeObjectURL(picture.value))
  return { picture, low: -10, high: 8 }
}
