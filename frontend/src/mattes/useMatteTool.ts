import { percent } from '@/format'
import { createSharedComposable } from '@vueuse/core'
import { computed, ref, shallowRef, watch } from 'vue'
import type { Matte } from '@/api/types'
import { usePointerTool, type ImagePoint } from '@/stores/pointerTool'
import { useWorkspace, type Pin } from '@/stores/workspace'
import { useMattes, type Way } from '@/stores/mattes'
import { useShot } from '@/stores/shot'
import { useNotifications } from '@/stores/notifications'
import { asPoint, handleAt, handlesOf, withHandle, type Ellipse, type Shape } from './drawing'
import { aroundPlace, brightnessAlike, depthBetween, facing, hueAlike } from './fromValues'
import { WAYS } from './kinds'
import { useObjectPicker } from './useObjectPicker'
import { useSelectedNames, useTarget } from './useSelectedNames'
import { useValues } from './useValues'

const NEAR_PX = 10

type Made = { name: string; value: object; label: string }

/** A pull in the image: the numbers where it began come from the server, perhaps later than its end. */
interface Pull {
  way: Way
  /** The numbers at the place where it began; null where there are none. */
  first: Promise<number[] | null>
  /** The matte that it makes, once that is known. */
  name: string
  /** Where it is, and how far from where it began on the screen. */
  last: { by: ImagePoint; at: ImagePoint } | null
}

/** The pointer in the image while the mattes are open: it picks, drags and draws; each gesture makes or changes a matte. */
export const useMatteTool = createSharedComposable(() => {
  const shots = useShot()
  const workspace = useWorkspace()
  const mattes = useMattes()
  const notifications = useNotifications()
  const pointing = useObjectPicker()
  const valuesAt = useValues()
  const taking = useSelectedNames()
  const target = useTarget()
  /** Points of an outline that is not closed yet, the frame of a drag that takes all, and the line of a pull. */
  const open = ref<[number, number][]>([])
  const frame = shallowRef<{ from: ImagePoint; to: ImagePoint } | null>(null)
  const number = computed(() => workspace.frame ?? firstFrame())
  const handles = computed(() => (mattes.matte ? handlesOf(mattes.matte, number.value) : []))
  let held: string | null = null
  let begun: ImagePoint | null = null
  let pulled: Pull | null = null
  let made: Made | null = null

  watch(() => [mattes.way, mattes.open], () => (open.value = [])) // prettier-ignore

  function firstFrame(): number {
    const numbers = Object.keys(shots.shot?.render.frames ?? {}).map(Number)
    return numbers.length > 1 ? Math.min(...numbers) : 0
  }

  const passOf = (role: string) => shots.variant?.reading.passes.find((p) => p.role === role)?.name ?? null
  /** The pass whose numbers a way reads; null: the light of the picture. */
  const SOURCES: Partial<Record<Way, string>> = { depth: 'depth', position: 'position', normal: 'normal' }

  function begin(_pixel: Pin | null, at: ImagePoint) {
    begun = at
    made = null
    const handle = handleAt(handles.value, at, NEAR_PX / workspace.imageTransform.scale)
    held = handle && (mattes.way === 'shape' || mattes.way === 'ellipse') ? handle.name : null
    pulled = isPull(mattes.way)
      ? { way: mattes.way, first: numbersAt(mattes.way, at), name: '', last: null }
      : null
  }

  function move(by: ImagePoint, _fine: boolean, at: ImagePoint) {
    if (!begun) return
    if (mattes.way === 'object') frame.value = { from: begun, to: at }
    else if (held !== null) show(dragged(held, at))
    else if (mattes.way === 'ellipse') show(oval(begun, at))
    else if (pulled) {
      pulled.last = { by, at }
      void follow(pulled)
    }
  }

  function dragged(handle: string, at: ImagePoint): Made {
    const name = mattes.chosen!
    const value = withHandle(mattes.matte as Shape | Ellipse, handle, at, number.value)
    return { name, value, label: `Matte ${name}: redrawn` }
  }

  function oval(from: ImagePoint, to: ImagePoint): Made {
    const { name, before } = target('ellipse', 'ellipse')
    const radii = [Math.max(1, Math.abs(to.x - from.x)), Math.max(1, Math.abs(to.y - from.y))].map(Math.round)
    return {
      name,
      value: { ...before, kind: 'ellipse', centre: asPoint(from), radii },
      label: `${name} drawn`,
    }
  }

  const isPull = (way: Way) => way in SOURCES || way === 'hue' || way === 'luminance'

  /** The numbers that a way reads at a place; null, with a notification, where the render has none. */
  async function numbersAt(way: Way, at: ImagePoint): Promise<number[] | null> {
    const role = SOURCES[way]
    const pass = role ? passOf(role) : null
    try {
      if (!role || pass) return await valuesAt(pass, at)
      notifications.show(`This render has no ${role} pass. Choose another kind of matte.`)
    } catch (error) {
      notifications.show(error)
    }
    return null
  }

  /** Show the matte of a pull as it is now; of many places only the newest counts. */
  async function follow(mine: Pull) {
    const place = mine.last
    const next = await madeBy(mine)
    if (next && mine === pulled && place === mine.last && begun) show(next)
  }

  /** A matte from the numbers where a pull began, and where it is. */
  async function madeBy(mine: Pull): Promise<Made | null> {
    const { way, first, last } = mine
    const start = await first
    if (!start || !last) return null
    const two = way === 'depth' || way === 'position'
    const there = two ? await numbersAt(way, last.at) : []
    if (!there) return null
    const value = valueOf(way, start, there, last.by.x)
    const aim = target(value.kind as Matte['kind'], NAMES[way] ?? way)
    const name = (mine.name ||= aim.name)
    return {
      name,
      value: { ...aim.before, ...value },
      label: `Matte ${name}: ${wayWords(way).toLowerCase()} set`,
    }
  }

  function valueOf(way: Way, start: number[], there: number[], pulled: number) {
    if (way === 'depth') return depthBetween(start[0]!, there[0]!)
    if (way === 'position') return aroundPlace(start, there)
    if (way === 'normal') return facing(start, pulled)
    return way === 'hue' ? hueAlike(start, pulled) : brightnessAlike(start, pulled)
  }

  function show(next: Made) {
    made = next
    mattes.preview(next.name, next.value)
    mattes.chosen = next.name
  }

  /** The pointer may be quicker than the server: its drag is kept as soon as the numbers are there. */
  async function end() {
    const [drawn, mine] = [frame.value, pulled]
    begun = pulled = null
    frame.value = null
    if (drawn)
      return void (await taking.takeAll(drawn.from, drawn.to).catch((error) => notifications.show(error)))
    const last = mine ? await madeBy(mine) : made
    made = null
    if (last) await mattes.keep(last.name, last.value, last.label)
    else if (mine && !pulled) shots.preview([])
  }

  async function click(at: ImagePoint) {
    try {
      if (mattes.way === 'object') {
        await taking.takeAt(at)
      } else if (mattes.way === 'shape') await point(at)
      else if (mattes.way === 'pass') await takeNumber(at)
      else if (mattes.way !== 'ellipse') {
        begin(null, at)
        pulled!.last = { by: { x: 0, y: 0 }, at }
        await end()
      }
    } catch (error) {
      notifications.show(error)
    }
  }

  /** One more point of an outline; on the first one it is closed. */
  async function point(at: ImagePoint) {
    const near = NEAR_PX / workspace.imageTransform.scale
    const start = open.value[0]
    const closes = start && open.value.length > 2 && Math.hypot(start[0] - at.x, start[1] - at.y) <= near
    if (!closes) return void (open.value = [...open.value, asPoint(at)])
    const points = open.value
    open.value = []
    const fresh = mattes.freeName('shape')
    await mattes.keep(fresh, { kind: 'shape', points }, `${fresh} drawn`)
  }

  /** One more number, or colour, of a pass of ids. */
  async function takeNumber(at: ImagePoint) {
    if (mattes.matte?.kind !== 'id') return
    const there = await valuesAt(mattes.matte.pass, at)
    const value = there.length >= 3 ? there.slice(0, 3) : there[0]!
    const known = (mattes.matte.values ?? []) as unknown[]
    const same = (one: unknown) => JSON.stringify(one) === JSON.stringify(value)
    const values = known.some(same) ? known.filter((one) => !same(one)) : [...known, value]
    mattes.change({ values }, 'IDs changed')
  }

  function words(): string {
    const { found } = pointing.under.value
    if (mattes.way !== 'object' || !found.length) return ''
    const layer = found[0]!.layer
    const named = (one: (typeof found)[number]) =>
      one.coverage < 0.995 ? `${one.name} ${percent(one.coverage)}` : one.name
    const others = found.filter((one) => one.layer !== layer).map((one) => one.name)
    const here = found.filter((one) => one.layer === layer).map(named).join(', ') // prettier-ignore
    return others.length ? `${here} · ${others.join(', ')}` : here
  }

  const hover = (at: ImagePoint | null) => void pointing.hover(mattes.way === 'object' ? at : null)
  const doing = () => WAYS.find((way) => way.way === mattes.way)?.hint ?? ''
  const grip = { begin, move, end: () => void end(), words, doing, click: (at: ImagePoint) => void click(at), hover, everywhere: true } // prettier-ignore
  const take = () => usePointerTool().take(grip)
  return { take, open, frame, handles, number, words }
})

const NAMES: Partial<Record<Way, string>> = {
  depth: 'depth',
  position: 'position',
  normal: 'normal',
  hue: 'hue',
  luminance: 'luminance',
}

const wayWords = (way: Way) => WAYS.find((one) => one.way === way)!.words
