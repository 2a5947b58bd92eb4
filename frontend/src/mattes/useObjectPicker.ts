import { createSharedComposable } from '@vueuse/core'
import { ref, shallowRef, watch } from 'vue'
import { api, unwrap } from '@/api/client'
import type { ObjectHit, ObjectLayer } from '@/api/types'
import { usePlayback } from '@/stores/playback'
import { useWorkspace } from '@/stores/workspace'
import { useMattes } from '@/stores/mattes'
import { useShot } from '@/stores/shot'

export type Outline = [number, number][]

interface PickResult {
  found: ObjectHit[]
  outline: Outline[]
}

const NOTHING: PickResult = { found: [], outline: [] }

/** What lies under the pointer, one question at a time: the newest place after the one under way. */
export const useObjectPicker = createSharedComposable(() => {
  const shots = useShot()
  const workspace = useWorkspace()
  const mattes = useMattes()
  const playback = usePlayback()
  const under = shallowRef<PickResult>(NOTHING)
  const layers = shallowRef<ObjectLayer[]>([])
  const layersState = ref<'loading' | 'error' | 'ready'>('loading')
  const busy = ref(false)
  let request: { x: number; y: number } | null = null

  async function pick(x: number, y: number, width = 1, height = 1): Promise<PickResult> {
    const params = { path: { variant_id: shots.variant!.id } }
    const body = { base: null, x, y, width, height, layer: mattes.layer, frame: workspace.frame }
    return (await unwrap(api.POST('/api/variants/{variant_id}/mattes/pick', { params, body }))) as PickResult
  }

  async function hover(place: { x: number; y: number } | null) {
    request = place
    if (!place) under.value = NOTHING
    if (busy.value) return
    busy.value = true
    try {
      while (request) {
        const next: { x: number; y: number } = request
        request = null
        under.value = await pick(Math.floor(next.x), Math.floor(next.y))
      }
    } catch {
      under.value = NOTHING // nothing is named; a click says why
    } finally {
      busy.value = false
    }
  }

  let newest = 0
  watch(
    () => [shots.variant?.id, shots.renderKey, workspace.frame, playback.playing],
    async () => {
      const id = shots.variant?.id
      // A sequence that plays needs none: its last frame does.
      if (id === undefined || playback.playing) return
      const mine = (newest += 1)
      layersState.value = 'loading'
      const params = { path: { variant_id: id }, query: { frame: workspace.frame } }
      const answer = await unwrap<{ layers: ObjectLayer[] }>(
        api.GET('/api/variants/{variant_id}/mattes/layers', { params }),
      ).catch(() => null)
      if (mine !== newest) return
      layers.value = answer?.layers ?? []
      layersState.value = answer ? 'ready' : 'error'
    },
    { immediate: true },
  )
  return { under, layers, layersState, pick, hover }
})
