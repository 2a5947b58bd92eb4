import { createSharedComposable } from '@vueuse/core'
import { computed, ref, shallowRef, watch } from 'vue'
import { api, bodyOf, unwrap } from '@/api/client'
import { NEUTRAL_DEPTH } from '@/api/defaults'
import type { Defocus, DepthPlace, DepthReading, Haze, Motion, Survey } from '@/api/types'
import type { ImagePoint } from '@/stores/pointerTool'
import { useWorkspace } from '@/stores/workspace'
import { useShot } from '@/stores/shot'
import { usePart } from '@/composables/usePart'

const MOST_APERTURE = 4096
/** A blur of this share of the frame's width is seen at first sight. */
const SEEN_SHARE = 0.01

/** The parts of Depth, the survey of the frame, and what is at a place of it. */
export const useDepth = createSharedComposable(() => {
  const shots = useShot()
  const workspace = useWorkspace()
  const reading = usePart<DepthReading>('/depth/reading', NEUTRAL_DEPTH.reading as DepthReading)
  const haze = usePart<Haze>('/depth/haze', NEUTRAL_DEPTH.haze as Haze)
  const defocus = usePart<Defocus>('/depth/defocus', NEUTRAL_DEPTH.defocus as Defocus)
  const motion = usePart<Motion>('/depth/motion', NEUTRAL_DEPTH.motion as Motion)
  const survey = shallowRef<Survey | null>(null)
  const surveyState = ref<'loading' | 'error' | 'ready'>('loading')
  const at = () => ({ params: { path: { variant_id: shots.variant!.id } } })

  const read = computed(() =>
    JSON.stringify([
      reading.now.value,
      shots.variant?.document.source,
      shots.variant?.document.beauty?.removed,
    ]),
  )

  watch(
    [() => shots.variant?.id, () => workspace.frame, () => shots.renderKey, read],
    async () => {
      survey.value = null // that of another variant says nothing of this one
      surveyState.value = 'loading'
      if (!shots.variant) return
      try {
        const body = { frame: workspace.frame, ...bodyOf(shots.draft) }
        const request = api.POST('/api/variants/{variant_id}/depth/analysis', { ...at(), body })
        survey.value = (await unwrap<{ survey: Survey }>(request)).survey
        surveyState.value = 'ready'
      } catch {
        surveyState.value = 'error' // the image itself shows what is wrong
      }
    },
    { immediate: true },
  )

  /** The radius at infinity in px for a focus, and the aperture (the radius for a focus at one unit) that gives it. */
  const radiusOf = (aperture: number, focus: number) => aperture / focus
  const apertureOf = (radius: number, focus: number) =>
    Number(Math.min(MOST_APERTURE, radius * focus).toPrecision(5))

  /** What switches defocus on; an aperture that nobody set yet becomes one that is seen: 1% of the width at infinity. */
  function switchedOn(change: { focus?: number; aperture?: number }): object {
    const { aperture, focus, limit_px } = defocus.now.value
    const isUntouched = aperture === NEUTRAL_DEPTH.defocus!.aperture && change.aperture === undefined
    if (!isUntouched) return { ...change, on: true }
    const radius = SEEN_SHARE * (shots.shot?.render.display.width ?? 0)
    const seen = {
      aperture: apertureOf(radius, change.focus ?? focus),
      limit_px: Math.max(limit_px, Math.ceil(radius)),
    }
    return { ...seen, ...change, on: true }
  }

  async function placeAt(place: ImagePoint): Promise<DepthPlace> {
    const body = {
      x: Math.floor(place.x),
      y: Math.floor(place.y),
      frame: workspace.frame,
      ...bodyOf(shots.draft),
    }
    const request = api.POST('/api/variants/{variant_id}/depth/sample', { ...at(), body })
    return (await unwrap<{ place: DepthPlace }>(request)).place
  }
  return { reading, haze, defocus, motion, survey, surveyState, placeAt, switchedOn, radiusOf, apertureOf }
})

/** A distance as it is read: as many digits as matter. */
export function distanceText(distance: number | null): string {
  if (distance === null) return 'No depth'
  return distance >= 100 ? distance.toFixed(0) : distance >= 10 ? distance.toFixed(1) : distance.toFixed(2)
}
