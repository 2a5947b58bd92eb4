import type { DepthPlace } from '@/api/types'
import { useGrip, type GripPlace } from '@/stores/grip'
import { useMarks } from '@/stores/marks'
import { useTroubles } from '@/stores/troubles'
import { distanceText, useDepth } from './useDepth'

const round = (value: number) => Number(value.toPrecision(4))

/** Haze by pulling a line in the picture: from where it begins to where half of the light is left. */
export function useHazeHand() {
  const { haze, survey, placeAt } = useDepth()
  const marks = useMarks()
  const troubles = useTroubles()
  let from: GripPlace | null = null
  let first: Promise<DepthPlace> | null = null
  let change: object | null = null
  let label = ''
  let latest = 0
  let wasOff = false

  function begin(_pixel: unknown, at: GripPlace) {
    from = at
    first = placeAt(at)
    first.catch(troubles.tell)
    change = null
    wasOff = !haze.now.value.on
  }

  async function move(_by: GripPlace, _fine: boolean, at: GripPlace) {
    if (!from || !first) return
    const mine = (latest += 1)
    const ends = await Promise.all([first, placeAt(at)]).catch(() => null)
    if (mine !== latest || !from || !ends) return
    const distances = ends.map((end) => end.distance)
    const said = `${distanceText(distances[0]!)} → ${distanceText(distances[1]!)}`
    marks.show([
      { kind: 'line', points: [from, at] },
      { kind: 'words', at, text: said },
    ])
    const [near, far] = (distances as number[]).sort((a, b) => a - b)
    if (distances.includes(null) || far! - near! < 1e-4) return
    change = { on: true, start: round(near!), density: round(Math.min(1e4, Math.LN2 / (far! - near!))) }
    if (survey.value?.has_sky) change = { ...change, background: true }
    // Air that was not there before takes the light of what lies farthest.
    if (wasOff && survey.value) change = { ...change, colour: survey.value.air.map(round) }
    label = `haze from ${distanceText(near!)}, half at ${distanceText(far!)}`
    haze.show(change)
  }

  function end() {
    if (change) haze.keep(change, label)
    from = change = null
    latest += 1
    marks.clear()
  }

  const words = () => ''
  const letGo = useGrip().take({
    begin,
    move: (...how) => void move(...how),
    end,
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
