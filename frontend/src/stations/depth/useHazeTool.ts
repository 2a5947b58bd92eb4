import type { DepthPlace } from '@/api/types'
import { usePointerTool, type ImagePoint } from '@/stores/pointerTool'
import { useOverlays } from '@/stores/overlays'
import { useNotifications } from '@/stores/notifications'
import { distanceText, useDepth } from './useDepth'

const round = (value: number) => Number(value.toPrecision(4))

interface Pull {
  from: ImagePoint
  first: Promise<DepthPlace>
  last: ImagePoint | null
  wasOff: boolean
}

/** Haze by pulling a line in the picture: from where it begins to where half of the light is left. */
export function useHazeTool() {
  const { haze, survey, placeAt } = useDepth()
  const marks = useOverlays()
  const notifications = useNotifications()
  let pulled: Pull | null = null

  function begin(_pixel: unknown, at: ImagePoint) {
    const first = placeAt(at)
    first.catch(notifications.show)
    pulled = { from: at, first, last: null, wasOff: !haze.now.value.on }
  }

  async function move(_by: ImagePoint, _fine: boolean, at: ImagePoint) {
    const mine = pulled
    if (!mine) return
    mine.last = at
    const ends = await endsOf(mine)
    if (mine !== pulled || mine.last !== at || !ends) return
    const said = `${distanceText(ends[0]!)} → ${distanceText(ends[1]!)}`
    marks.show([
      { kind: 'line', points: [mine.from, at] },
      { kind: 'words', at, text: said },
    ])
    const next = changeOf(mine, ends)
    if (next) haze.show(next.change)
  }

  /** The distances where a pull began and where it is; null where one is not known. */
  async function endsOf({ first, last }: Pull): Promise<(number | null)[] | null> {
    if (!last) return null
    const ends = await Promise.all([first, placeAt(last)]).catch(() => null)
    return ends && ends.map((end) => end.distance)
  }

  function changeOf({ wasOff }: Pull, ends: (number | null)[]) {
    const [near, far] = (ends as number[]).sort((a, b) => a - b)
    if (ends.includes(null) || far! - near! < 1e-4) return null
    let change: object = {
      on: true,
      start: round(near!),
      density: round(Math.min(1e4, Math.LN2 / (far! - near!))),
    }
    if (survey.value?.has_sky) change = { ...change, background: true }
    // Air that was not there before takes the light of what lies farthest.
    if (wasOff && survey.value) change = { ...change, colour: survey.value.air.map(round) }
    return { change, label: `Haze from ${distanceText(near!)}, 50% at ${distanceText(far!)}` }
  }

  /** The pointer may be quicker than the server: its drag is kept as soon as the distances are there. */
  async function end() {
    const mine = pulled
    pulled = null
    marks.clear()
    const ends = mine && (await endsOf(mine))
    const last = mine && ends && changeOf(mine, ends)
    if (last) haze.keep(last.change, last.label)
    else if (!pulled) haze.show({})
  }

  const words = () => ''
  const letGo = usePointerTool().take({
    begin,
    move: (...how) => void move(...how),
    end: () => void end(),
    words,
    doing: words,
    everywhere: true,
  })
  function stop() {
    letGo()
    marks.clear()
  }
  return { stop }
}
