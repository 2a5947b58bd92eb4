import { ref } from 'vue'
import type { Triple } from '@/api/types'
import { useValues } from '@/mattes/useValues'
import { useNotifications } from '@/stores/notifications'
import { usePointerTool, type ImagePoint } from '@/stores/pointerTool'
import { useShot } from '@/stores/shot'
import { placedAt, type AddedLight } from './addedLights'

interface Surface {
  normal: Triple
  place: Triple | null
}

interface Callbacks {
  moving: (change: object) => void
  settled: (change: object) => void
}

/** Pulled up by so many screen pixels, a point is twice as far above the surface. */
const DOUBLING_PIXELS = 90

/**
 * An added light is placed by pulling in the image: a side light faces the surface under the pointer, and follows it; a
 * point stands above the surface where the drag began, the higher the farther it is pulled.
 */
export function usePlacing(light: () => AddedLight, callbacks: Callbacks) {
  const shots = useShot()
  const notifications = useNotifications()
  const pointerTools = usePointerTool()
  const valuesAt = useValues()
  const active = ref(false)
  let letGo: (() => void) | null = null
  let surface: Surface | null = null
  let up = 0
  let wanted: ImagePoint | null = null
  let reading: Promise<void> | null = null
  let change: object | null = null

  const passOf = (role: string) =>
    shots.variant?.reading.passes.find((one) => one.role === role)?.name ?? null

  async function read() {
    while (wanted) {
      const at = wanted
      wanted = null
      const [normal, position] = [passOf('normal'), passOf('position')]
      if (!normal) return
      const found = await valuesAt(normal, at)
      const place = position ? await valuesAt(position, at) : null
      if (!found.slice(0, 3).some((value) => value !== 0)) continue
      surface = { normal: found.slice(0, 3) as Triple, place: place && (place.slice(0, 3) as Triple) }
      show()
    }
  }

  function look(at: ImagePoint) {
    wanted = at
    reading ??= read()
      .catch(notifications.show)
      .finally(() => (reading = null))
  }

  function show() {
    const now = light()
    const height = now.kind === 'point' ? (now.radius ?? 1) * 2 ** (up / DOUBLING_PIXELS) : 0
    change = surface && placedAt(now, surface.normal, surface.place, height)
    if (change) callbacks.moving(change)
  }

  const tool = {
    begin(_pixel: unknown, at: ImagePoint) {
      surface = change = null
      up = 0
      look(at)
    },
    move(by: ImagePoint, fine: boolean, at: ImagePoint) {
      up = -by.y * (fine ? 0.1 : 1)
      if (light().kind === 'side') look(at)
      else show()
    },
    async end() {
      await reading
      if (change) callbacks.settled(change)
      change = null
    },
    words: () => '',
    doing: () =>
      light().kind === 'side'
        ? 'Drag over surfaces: the light faces the one under the pointer'
        : 'Press on a surface; pull up: farther from it',
    everywhere: true,
  }

  function toggle() {
    if (active.value) return stop()
    letGo = pointerTools.take({ ...tool, end: () => void tool.end() })
    active.value = true
  }

  function stop() {
    letGo?.()
    letGo = null
    active.value = false
  }

  return { active, toggle, stop }
}
