import { createSharedComposable } from '@vueuse/core'
import { computed, shallowRef, watch } from 'vue'
import { api, told } from '@/api/client'
import { NEUTRAL_DEPTH } from '@/api/defaults'
import type { Defocus, DepthPlace, DepthReading, Haze, Motion, Survey } from '@/api/types'
import type { GripPlace } from '@/stores/grip'
import { useRoom } from '@/stores/room'
import { useShot } from '@/stores/shot'
import { usePart } from '@/stores/usePart'

/** The parts of Depth, the survey of the frame, and what is at a place of it. */
export const useDepth = createSharedComposable(() => {
  const shots = useShot()
  const room = useRoom()
  const reading = usePart<DepthReading>('/depth/reading', NEUTRAL_DEPTH.reading as DepthReading)
  const haze = usePart<Haze>('/depth/haze', NEUTRAL_DEPTH.haze as Haze)
  const defocus = usePart<Defocus>('/depth/defocus', NEUTRAL_DEPTH.defocus as Defocus)
  const motion = usePart<Motion>('/depth/motion', NEUTRAL_DEPTH.motion as Motion)
  const survey = shallowRef<Survey | null>(null)
  const at = () => ({ params: { path: { variant_id: shots.variant!.id } } })

  const read = computed(() =>
    JSON.stringify([
      reading.now.value,
      shots.variant?.document.source,
      shots.variant?.document.beauty?.removed,
    ]),
  )

  watch(
    [() => shots.variant?.id, () => room.frame, () => shots.renderKey, read],
    async () => {
      if (!shots.variant) return void (survey.value = null)
      try {
        const body = { frame: room.frame, patch: shots.draft as unknown as Record<string, never>[] }
        const request = api.POST('/api/variants/{variant_id}/depth', { ...at(), body })
        survey.value = (await told<{ survey: Survey }>(request)).survey
      } catch {
        survey.value = null // the picture itself tells what is wrong
      }
    },
    { immediate: true },
  )

  async function placeAt(place: GripPlace): Promise<DepthPlace> {
    const patch = shots.draft as unknown as Record<string, never>[]
    const body = { x: Math.floor(place.x), y: Math.floor(place.y), frame: room.frame, patch }
    const request = api.POST('/api/variants/{variant_id}/depth/at', { ...at(), body })
    return (await told<{ place: DepthPlace }>(request)).place
  }
  return { reading, haze, defocus, motion, survey, placeAt }
})

/** A distance as it is read: as many digits as matter. */
export function distanceText(distance: number | null): string {
  if (distance === null) return 'nothing there'
  return distance >= 100 ? distance.toFixed(0) : distance >= 10 ? distance.toFixed(1) : distance.toFixed(2)
}
