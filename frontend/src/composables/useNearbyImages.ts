import { onMounted, shallowRef } from 'vue'
import { api, unwrap } from '@/api/client'
import type { MediaEntry } from '@/api/types'
import { useShot } from '@/stores/shot'

/** Pictures beside a shot's files and in the folders there; none where they cannot be listed. */
export function useNearbyImages() {
  const shots = useShot()
  const offered = shallowRef<MediaEntry[]>([])
  onMounted(async () => {
    if (!shots.shot) return
    const params = { path: { shot_id: shots.shot.id } }
    const request = api.GET('/api/shots/{shot_id}/pictures', { params })
    offered.value = (await unwrap<{ entries: MediaEntry[] }>(request).catch(() => ({ entries: [] }))).entries
  })
  return offered
}
