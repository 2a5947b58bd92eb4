import { createSharedComposable } from '@vueuse/core'
import { computed, ref, shallowRef, watch } from 'vue'
import type { Matte } from '@/api/types'
import { percent } from '@/stores/levels'
import { useGrip, type GripPlace } from '@/stores/grip'
import { useRoom, type Pin } from '@/stores/room'
import { useShelf, type Way } from '@/stores/shelf'
import { useShot } from '@/stores/shot'
import { useTroubles } from '@/stores/troubles'
import { asPoint, handleAt, handlesOf, withHandle, type Ellipse, type Shape } from './drawing'
import { aroundPlace, brightnessAlike, depthBetween, facing, hueAlike } from './fromValues'
import { WAYS } from './kinds'
import { usePointing } from './usePointing'
import { useTakenNames, useTarget } from './useTakenNames'
import { useValues } from './useValues'

const NEAR_PX = 10

type Made = { value: object; label: string }

/** The hand in the picture while the shelf is open: it points at things, pulls, draws; each gesture makes or changes a matte. */
export const useMatteHand = createSharedComposable(() => {
  const shots = useShot()
  const room = useRoom()
  const shelf = useShelf()
  const troubles = useTroubles()
  const pointing = usePointing()
  const valuesAt = useValues()
  const taking = useTakenNames()
  const target = useTarget()
  /** Points of an outline that is not closed yet, the frame of a drag that takes all, and the line of a pull. */
  const open = ref<[number, number][]>([])
  const frame = shallowRef<{ from: GripPlace; to: GripPlace } | null>(null)
  const number = computed(() => room.frame ?? firstFrame())
  const handles = computed(() => (shelf.matte ? handlesOf(shelf.matte, number.value) : []))
  let name = ''
  let held: string | null = null
  let begun: GripPlace | null = null
  let first: Promise<number[]> | null = null
  let latest = 0
  let made: Made | null = null

  watch(() => [shelf.way, shelf.open], () => (open.value = [])) // prettier-ignore

  function firstFrame(): number {
    const numbers = Object.keys(shots.shot?.render.frames ?? {}).map(Number)
    return numbers.length > 1 ? Math.min(...numbers) : 0
  }

  const passOf = (role: string) => shots.variant?.reading.passes.find((p) => p.role === role)?.name ?? null
  /** The pass whose numbers a way reads; null: the light of the picture. */
  const SOURCES: Partial<Record<Way, string>> = { depth: 'depth', position: 'position', normal: 'normal' }

  function begin(_pixel: Pin | null, at: GripPlace) {
    begun = at
    made = null
    const handle = handleAt(handles.value, at, NEAR_PX / room.placing.scale)
    held = handle && (shelf.way === 'shape' || shelf.way === 'ellipse') ? handle.name : null
    const role = SOURCES[shelf.way]
    if (role || shelf.way === 'hue' || shelf.way === 'luminance') {
      const pass = role ? passOf(role) : null
      first = role && !pass ? null : valuesAt(pass, at)
      first?.catch((error) => troubles.tell(error))
      if (role && !pass) troubles.tell(`This render has no ${role} pass: choose another way.`)
    }
    name = ''
  }

  function move(by: GripPlace, _fine: boolean, at: GripPlace) {
    if (!begun) return
    if (shelf.way === 'object') frame.value = { from: begun, to: at }
    else if (held !== null) show(dragged(held, at))
    else if (shelf.way === 'ellipse') show(oval(begun, at))
    else if (shelf.way !== 'shape' && shelf.way !== 'pass') void pull(by, at)
  }

  function dragged(handle: string, at: GripPlace): Made {
    name = shelf.chosen!
    const value = withHandle(shelf.matte as Shape | Ellipse, handle, at, number.value)
    return { value, label: `${name}: drawn anew` }
  }

  function oval(from: GripPlace, to: GripPlace): Made {
    const aim = target('ellipse', 'oval')
    name = aim.name
    const radii = [Math.max(1, Math.abs(to.x - from.x)), Math.max(1, Math.abs(to.y - from.y))].map(Math.round)
    return { value: { ...aim.before, kind: 'ellipse', centre: asPoint(from), radii }, label: `${name} drawn` }
  }

  /** A matte from numbers: those where the hand began, and where it is; only the newest place counts. */
  async function pull(by: GripPlace, at: GripPlace) {
    const mine = (latest += 1)
    const way = shelf.way
    const start = await first?.catch(() => null)
    if (!start || mine !== latest || !begun) return
    const two = way === 'depth' || way === 'position'
    const there = two ? await valuesAt(passOf(way), at).catch(() => null) : null
    if (mine !== latest || !begun || (two && !there)) return
    const value = valueOf(way, start, there ?? [], by.x)
    const aim = target(value.kind as Matte['kind'], NAMES[way] ?? way)
    name ||= aim.name
    show({ value: { ...aim.before, ...value }, label: `${name}, by ${wayWords(way)}` })
  }

  function valueOf(way: Way, start: number[], there: number[], pulled: number) {
    if (way === 'depth') return depthBetween(start[0]!, there[0]!)
    if (way === 'position') return aroundPlace(start, there)
    if (way === 'normal') return facing(start, pulled)
    return way === 'hue' ? hueAlike(start, pulled) : brightnessAlike(start, pulled)
  }

  function show(next: Made) {
    made = next
    shelf.preview(name, next.value)
    shelf.chosen = name
  }

  async function end() {
    const drawn = frame.value
    begun = null
    latest += 1
    frame.value = null
    if (drawn) await taking.takeAll(drawn.from, drawn.to).catch((error) => troubles.tell(error))
    else if (made) await shelf.keep(name, made.value, made.label)
    made = null
  }

  async function click(at: GripPlace) {
    try {
      if (shelf.way === 'object') {
        await taking.takeAt(at)
      } else if (shelf.way === 'shape') await point(at)
      else if (shelf.way === 'pass') await takeNumber(at)
      else if (shelf.way !== 'ellipse') {
        begin(null, at)
        await pull({ x: 0, y: 0 }, at)
        await end()
      }
    } catch (error) {
      troubles.tell(error)
    }
  }

  /** One more point of an outline; on the first one it is closed. */
  async function point(at: GripPlace) {
    const near = NEAR_PX / room.placing.scale
    const start = open.value[0]
    const closes = start && open.value.length > 2 && Math.hypot(start[0] - at.x, start[1] - at.y) <= near
    if (!closes) return void (open.value = [...open.value, asPoint(at)])
    const points = open.value
    open.value = []
    const fresh = shelf.freeName('outline')
    await shelf.keep(fresh, { kind: 'shape', points }, `${fresh} drawn`)
  }

  /** One more number, or colour, of a pass of ids. */
  async function takeNumber(at: GripPlace) {
    if (shelf.matte?.kind !== 'id') return
    const there = await valuesAt(shelf.matte.pass, at)
    const value = there.length >= 3 ? there.slice(0, 3) : there[0]!
    const known = (shelf.matte.values ?? []) as unknown[]
    const same = (one: unknown) => JSON.stringify(one) === JSON.stringify(value)
    const values = known.some(same) ? known.filter((one) => !same(one)) : [...known, value]
    shelf.change({ values }, 'another number')
  }

  function words(): string {
    const { found } = pointing.under.value
    if (shelf.way !== 'object' || !found.length) return ''
    const layer = found[0]!.layer
    const named = (one: (typeof found)[number]) =>
      one.coverage < 0.995 ? `${one.name} ${percent(one.coverage)}` : one.name
    const others = found.filter((one) => one.layer !== layer).map((one) => one.name)
    const here = found.filter((one) => one.layer === layer).map(named).join(', ') // prettier-ignore
    return others.length ? `${here} · ${others.join(', ')}` : here
  }

  const hover = (at: GripPlace | null) => void pointing.hover(shelf.way === 'object' ? at : null)
  const doing = () => WAYS.find((way) => way.way === shelf.way)?.hint ?? ''
  const grip = { begin, move, end: () => void end(), words, doing, click: (at: GripPlace) => void click(at), hover, everywhere: true } // prettier-ignore
  const take = () => useGrip().take(grip)
  return { take, open, frame, handles, number, words }
})

const NAMES: Partial<Record<Way, string>> = {
  depth: 'distance',
  position: 'place',
  normal: 'facing',
  hue: 'colour',
  luminance: 'brightness',
}

const wayWords = (way: Way) => WAYS.find((one) => one.way === way)!.words
