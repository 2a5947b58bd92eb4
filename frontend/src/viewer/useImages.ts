import { computed, onScopeDispose, watch } from 'vue'
import type { ViewSubject } from '@/api/client'
import { expectRenderUpdate } from '@/api/events'
import { useHolds, type Hold } from '@/stores/holds'
import { useJobs } from '@/stores/jobs'
import { usePlayback } from '@/stores/playback'
import { useWorkspace } from '@/stores/workspace'
import { useMattes } from '@/stores/mattes'
import { useShot } from '@/stores/shot'
import { useNotifications } from '@/stores/notifications'
import type { FrameCanvas } from './FrameCanvas'
import { NOW, type Arrangement, type Framing } from './framing'
import { Pace } from './adaptiveResolution'
import { viewerOf, type Painted, type ImageRequest } from './imageMessages'
import { ImageThread } from './ImageThread'

/** The name of the marks that tell when pictures of the last drag were painted, for whoever measures. */
const PAINTED = 'picture painted'

/** An exact image that takes longer shows progress. */
const SLOW_MS = 1000

/** Asks for the present picture and for those it is compared with, and hands them to the canvas as they come. */
export function useImages(frame: () => FrameCanvas | null) {
  const shots = useShot()
  const workspace = useWorkspace()
  const holds = useHolds()
  const notifications = useNotifications()
  const playback = usePlayback()
  const jobs = useJobs()
  const first = computed(() => Math.min(...Object.keys(shots.shot?.render.frames ?? {}).map(Number)))
  const pace = new Pace()
  const mattes = useMattes()
  /** What the viewer alone does to the picture, with the matte that is looked at. */
  const aids = computed(() => {
    const shown = mattes.open && mattes.seen !== 'outline' && mattes.chosen
    return shown && mattes.seen !== 'outline'
      ? { ...workspace.aids, matte: shown, matte_as: mattes.seen }
      : workspace.aids
  })
  const moving = computed(() => shots.draft.patch.length > 0)
  let thread: ImageThread | null = null
  /** When the newest request was made: only its picture settles. */
  let requestedAt = 0
  let slow: ReturnType<typeof setTimeout> | undefined
  watch(moving, (on) => {
    if (on) return performance.clearMarks(PAINTED)
    pace.rest()
    workspace.previewShare = pace.share
    shots.sparing = pace.share < 1
  })

  function begin(canvas: HTMLCanvasElement) {
    thread = new ImageThread(canvas, { painted, failed: (error) => notifications.show(error) })
    workspace.viewer = viewerOf(NOW, thread.viewer)
  }

  function painted({ key, request, settled, milliseconds, at }: Painted) {
    if (key !== NOW) return
    const startTime = at - performance.timeOrigin
    if (request.body.patch.length && !settled) pace.took(startTime - request.requestedAt)
    performance.mark(PAINTED, {
      startTime,
      detail: { settled, patch: request.body.patch, requestedAt: request.requestedAt },
    })
    if (request.requestedAt !== requestedAt) return
    if (!settled && !moving.value) slow = setTimeout(expectRenderUpdate, SLOW_MS)
    if (!settled) return
    clearTimeout(slow)
    workspace.settled = true
    workspace.milliseconds = milliseconds
  }

  function subjectOf(hold: Hold): ViewSubject {
    const { state, patch, station, frame: own, pass_name, picture } = hold
    const draft = state ?? { ...shots.draft, patch: [...shots.draft.patch, ...patch] }
    return { ...draft, frame: own === undefined ? workspace.frame : own, station, pass_name, picture }
  }

  function request(canvas: FrameCanvas, variantId: number): ImageRequest {
    const region = canvas.region()
    const share = moving.value ? workspace.previewShare : 1
    const out = playback.playing ? canvas.playedSize(region) : canvas.outSize(region, share)
    const size = { region, out_width: out.width, out_height: out.height }
    const shown = workspace.passShown ?? undefined
    const subject = {
      ...shots.draft,
      frame: workspace.frame,
      station: workspace.viewStation,
      pass_name: shown,
    }
    return { variantId, requestedAt, body: { aids: aids.value, ...subject, ...size } }
  }

  /** The held pictures that are on the screen. */
  const onScreen = computed<Hold[]>(() => {
    if (!holds.comparing || holds.mode === 'difference') return []
    return holds.mode === 'held' || holds.mode === 'wipe' ? [holds.first!] : holds.shown
  })

  const arrangement = computed<Arrangement>(() => {
    const keys = onScreen.value.map((hold) => hold.key)
    if (!keys.length) return { kind: 'one', keys: [NOW] }
    if (holds.mode === 'held') return { kind: 'one', keys: [keys[0]!] }
    if (holds.mode === 'wipe') return { kind: 'wipe', keys: [NOW, keys[0]!], wipe: holds.wipe }
    return { kind: holds.mode === 'split' ? 'split' : 'side', keys: [NOW, ...keys] }
  })

  function requestImages() {
    const canvas = frame()
    if (!canvas || !shots.variant || playback.playing) return
    requestedAt = performance.now()
    const next = request(canvas, shots.variant.id)
    const { gain, measure } = holds
    const against =
      holds.comparing && holds.mode === 'difference'
        ? { subject: subjectOf(holds.first!), gain, measure }
        : null
    workspace.settled = workspace.stopped = false
    workspace.pictureBefore = jobs.pictureFor(workspace.viewer)?.id ?? 0
    clearTimeout(slow)
    const requestImage = (key: string, more: Partial<ImageRequest['body']>) =>
      thread?.request(key, { ...next, body: { ...next.body, ...more } }, moving.value)
    requestImage(NOW, { against })
    for (const hold of onScreen.value) requestImage(hold.key, subjectOf(hold))
  }

  /** Let go of the pictures of what is no longer held. */
  function keep() {
    thread?.keep(holds.holds.map((hold) => hold.key))
  }

  watch(
    () => jobs.pictureFor(workspace.viewer),
    (job) =>
      (workspace.stopped =
        job?.state === 'cancelled' && job.id > workspace.pictureBefore && !workspace.settled),
  )
  watch(() => workspace.exactRequest, requestImages)

  playback.attach({
    request(number) {
      const canvas = frame()
      if (!canvas || !shots.variant) return null
      const next = request(canvas, shots.variant.id)
      return { ...next, body: { ...next.body, frame: number === first.value ? null : number } }
    },
    show(number, bitmap, region) {
      thread?.show(NOW, bitmap, region)
      workspace.frame = number === first.value ? null : number
    },
  })
  watch(
    () => playback.playing,
    (on) => !on && requestImages(),
  )
  onScopeDispose(() => {
    clearTimeout(slow)
    playback.attach(null)
    thread?.destroy()
  })
  return {
    begin, requestImages, keep, arrangement, onScreen, subjectOf,
    frame: (framing: Framing) => thread?.frame(framing),
  } // prettier-ignore
}
