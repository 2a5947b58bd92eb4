import { usePointerTool, type ImagePoint } from '@/stores/pointerTool'
import { useOverlays } from '@/stores/overlays'
import { useNotifications } from '@/stores/notifications'
import { distanceText, useDepth } from './useDepth'

/** Focus by pointing: a click makes a place sharp; under the pointer a circle as large as the blur there. */
export function useFocusTool() {
  const { defocus, placeAt, switchedOn } = useDepth()
  const marks = useOverlays()
  const notifications = useNotifications()
  let request: ImagePoint | null = null
  let busy = false

  async function hover(at: ImagePoint | null) {
    request = at
    if (!at) marks.clear()
    if (busy) return
    busy = true
    try {
      while (request) {
        const next: ImagePoint = request
        request = null
        const found = await placeAt(next)
        const radius = Math.abs(found.radius_px ?? 0)
        const blur = defocus.now.value.on ? `, blur radius ${radius.toFixed(1)} px` : ''
        marks.show([
          { kind: 'circle', at: next, radius: defocus.now.value.on ? radius : 0 },
          { kind: 'words', at: next, text: `${distanceText(found.distance)}${found.distance === null ? '' : blur}` }, // prettier-ignore
        ])
      }
    } catch {
      marks.clear() // nothing is said; a click says why
    } finally {
      busy = false
    }
  }

  async function click(at: ImagePoint) {
    try {
      const found = await placeAt(at)
      if (found.distance === null) return notifications.show('No depth at this pixel.') // prettier-ignore
      const focus = Number(found.distance.toPrecision(5))
      const change = defocus.now.value.on ? { focus } : switchedOn({ focus })
      defocus.keep(change, `Focus distance ${distanceText(focus)} scene units`)
    } catch (error) {
      notifications.show(error)
    }
  }

  const nothing = () => {}
  const words = () => ''
  const grip = { begin: nothing, move: nothing, end: nothing, words, doing: words, everywhere: true }
  const letGo = usePointerTool().take({
    ...grip,
    click: (at) => void click(at),
    hover: (at) => void hover(at),
  })
  function stop() {
    letGo()
    marks.clear()
  }
  return { stop }
}
