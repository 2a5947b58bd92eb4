import { computed, onScopeDispose, ref, watch } from 'vue'
import type { SubjectWish } from '@/api/client'
import { useHolds, type Hold } from '@/stores/holds'
import { useReel } from '@/stores/reel'
import { useRoom } from '@/stores/room'
import { useShot } from '@/stores/shot'
import { useTroubles } from '@/stores/troubles'
import { NOW, type Arrangement, type FrameCanvas } from './FrameCanvas'
import { Pace } from './pace'
import { PictureLoop, type Wish } from './PictureLoop'

/** Asks for the present picture and for those it is compared with, and hands them to the canvas as they come. */
export function usePictures(frame: () => FrameCanvas | null) {
  const shots = useShot()
  const room = useRoom()
  const holds = useHolds()
  const troubles = useTroubles()
  const reel = useReel()
  const first = computed(() => Math.min(...Object.keys(shots.shot?.render.frames ?? {}).map(Number)))
  /** Each page is a viewer of its own: its newer pictures replace only its own waiting ones. */
  const page = Math.random().toString(36).slice(2)
  const shown = ref('')
  const pace = new Pace()
  const moving = computed(() => shots.draft.length > 0)
  const loops = new Map<string, PictureLoop>()
  watch(moving, (on) => !on && pace.rest())

  const now = new PictureLoop(`now ${page}`, {
    shown(answer, wish, settled) {
      frame()?.show(NOW, answer.bitmap, wish.region)
      room.milliseconds = answer.milliseconds
      room.settled = settled
      if (wish.patch.length) pace.took(answer.milliseconds)
      shown.value = stateOf(wish.variantId, shots.variant?.head, wish.station, wish.frame)
      performance.mark('picture shown', { detail: { settled, patch: wish.patch } })
    },
    failed: (error) => troubles.tell(error),
  })

  /** What a picture shows, in a word that tells whether it is the newest. */
  function stateOf(variant?: number, head?: number, station?: string, frame?: number | null): string {
    return `${variant}.${head}.${station}.${frame}.${shots.renderKey}`
  }
  const wanted = computed(() => stateOf(shots.variant?.id, shots.variant?.head, room.tap, room.frame))

  function subjectOf(hold: Hold): SubjectWish {
    const { patch, follows, station, frame: own, pass_name, picture } = hold
    const laid = follows ? [...shots.draft, ...patch] : patch
    return { patch: laid, frame: own === undefined ? room.frame : own, station, pass_name, picture }
  }

  function wish(canvas: FrameCanvas, variantId: number): Wish {
    const region = canvas.region()
    const out = canvas.outSize(region, moving.value ? pace.share : 1)
    const size = { region, out_width: out.width, out_height: out.height }
    return { variantId, patch: shots.draft, frame: room.frame, station: room.tap, aids: room.aids, ...size }
  }

  function loopOf(key: string): PictureLoop {
    const known = loops.get(key)
    if (known) return known
    const made = new PictureLoop(`${key} ${page}`, {
      shown: (answer, wish) => frame()?.show(key, answer.bitmap, wish.region),
      failed: (error) => troubles.tell(error),
    })
    loops.set(key, made)
    return made
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

  function ask() {
    const canvas = frame()
    if (!canvas || !shots.variant || reel.playing) return
    const next = wish(canvas, shots.variant.id)
    const { gain, measure } = holds
    const against =
      holds.comparing && holds.mode === 'difference'
        ? { subject: subjectOf(holds.first!), gain, measure }
        : null
    room.settled = false
    now.want({ ...next, against }, moving.value)
    for (const hold of onScreen.value) loopOf(hold.key).want({ ...next, ...subjectOf(hold) }, moving.value)
    for (const [key, loop] of loops) {
      if (holds.holds.some((hold) => hold.key === key)) continue
      loop.stop()
      loops.delete(key)
    }
  }

  reel.attach({
    wish(number) {
      const canvas = frame()
      if (!canvas || !shots.variant) return null
      return { ...wish(canvas, shots.variant.id), frame: number === first.value ? null : number }
    },
    show(number, bitmap, region) {
      frame()?.show(NOW, bitmap, region)
      room.frame = number === first.value ? null : number
    },
  })
  watch(
    () => reel.playing,
    (on) => !on && ask(),
  )
  onScopeDispose(() => {
    reel.attach(null)
    now.stop()
    for (const loop of loops.values()) loop.stop()
  })
  return { ask, arrangement, onScreen, subjectOf, isNewest: computed(() => shown.value === wanted.value) }
}
