import type { RenderPass } from '@/api/types'

/** By how many stops a pass is lifted to be seen; the same rule as the server's for board and tally. */
const WANTED_MEAN = 0.09
const MOST = 12
const LIGHT = new Set(['beauty', 'component', 'light_group', 'light_component'])

export function liftOf(pass: RenderPass): number {
  const [red = 0, green = red, blue = red] = pass.statistics.mean
  const mean = 0.27 * red + 0.67 * green + 0.06 * blue
  if (!LIGHT.has(pass.role) || !Number.isFinite(mean) || mean <= 0) return 0
  return Math.min(MOST, Math.max(0, Math.round(Math.log2(WANTED_MEAN / mean))))
}
