import { useDebounceFn } from '@vueuse/core'
import { watch, type Ref } from 'vue'
import { fetchValues } from '@/api/client'
import type { Region } from '@/api/types'
import { useHolds } from '@/stores/holds'
import { useWorkspace } from '@/stores/workspace'
import { useShot } from '@/stores/shot'
import { useNotifications } from '@/stores/notifications'
import type { FrameCanvas } from './FrameCanvas'

/** From so many screen pixels for one of the picture, its numbers are drawn in. */
export const LEGIBLE = 44
const REST_MS = 160
/** Numbers are black on brighter pixels. */
const GREY = 0.25
const MINUS = '\u2212'

/** The numbers behind the pixels, drawn into them as soon as they are large enough. */
export function usePixelValues(frame: () => FrameCanvas | null, sheet: Ref<HTMLCanvasElement | undefined>) {
  const shots = useShot()
  const workspace = useWorkspace()
  const holds = useHolds()
  const notifications = useNotifications()
  let known: { region: Region; channels: (number | null)[][][] } | null = null

  async function load() {
    const canvas = frame()
    const id = shots.variant?.id
    known = null
    paint()
    if (!canvas || id === undefined || workspace.scale < LEGIBLE || holds.comparing) return
    const region = canvas.region()
    try {
      const shown = workspace.passShown ?? undefined
      const subject = {
        ...shots.draft,
        frame: workspace.frame,
        station: workspace.viewStation,
        pass_name: shown,
      }
      const channels = await fetchValues(id, { ...subject, region })
      known = { region, channels }
      paint()
    } catch (error) {
      notifications.show(error)
    }
  }

  function paint() {
    const canvas = frame()
    const context = sheet.value?.getContext('2d')
    if (!canvas || !context) return
    const ratio = window.devicePixelRatio
    context.canvas.width = Math.round(canvas.size.width * ratio)
    context.canvas.height = Math.round(canvas.size.height * ratio)
    context.scale(ratio, ratio)
    if (!known || canvas.scale < LEGIBLE) return
    const { region, channels } = known
    context.font = '10.5px "Atkinson Hyperlegible Next", sans-serif'
    context.textAlign = 'center'
    context.textBaseline = 'middle'
    for (let row = 0; row < region.height; row += 1)
      for (let column = 0; column < region.width; column += 1) {
        const at = canvas.toCanvas({ x: region.x + column + 0.5, y: region.y + row + 0.5 })
        const light = Math.max(...channels.map((plane) => plane[row]?.[column] ?? 0))
        context.fillStyle = light > GREY ? '#000' : '#fff'
        channels.slice(0, 3).forEach((plane, i) => {
          const y = at.y + (i - (Math.min(channels.length, 3) - 1) / 2) * 12
          const text = written(plane[row]?.[column] ?? null)
          context.fillText(text, at.x, y)
        })
      }
  }

  const soon = useDebounceFn(load, REST_MS)
  watch(
    () => [
      [workspace.scale, workspace.view, workspace.viewStation, workspace.frame],
      [shots.variant?.id, shots.variant?.head, shots.renderKey, holds.comparing],
    ],
    () => {
      if (known || workspace.scale >= LEGIBLE) void soon()
    },
  )
  return { paint }
}

function written(value: number | null): string {
  if (value === null) return 'none'
  const size = Math.abs(value)
  const text = size >= 100 ? size.toFixed(0) : size >= 10 ? size.toFixed(1) : size.toFixed(3)
  return value < 0 && Number(text) ? MINUS + text : text
}
