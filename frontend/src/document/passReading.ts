import type { PassReading } from '@/api/types'

/** A pass as it is read. */
export interface ReadPass {
  name: string
  role: PassReading['role']
  light?: string | null
  component?: string | null
  part?: PassReading['part']
  twin?: string | null
}

/** Each role in a word or two. */
export const ROLE_WORDS: Record<string, string> = {
  beauty: 'beauty',
  alpha: 'alpha',
  component: 'component',
  light_group: 'light',
  light_component: 'light × component',
  shadow: 'shadow',
  occlusion: 'occlusion',
  depth: 'depth',
  normal: 'normal',
  position: 'position',
  uv: 'uv',
  motion: 'motion',
  id: 'id',
  cryptomatte: 'cryptomatte',
  mask: 'mask',
  variance: 'variance',
  other: 'other',
}

/** Data have no light and no component, whatever the pass was before. */
function withoutLeftovers(reading: PassReading): PassReading {
  const { role } = reading
  const lit = role.startsWith('light')
  const made = role === 'component' || role === 'light_component'
  return {
    ...reading,
    light: lit ? reading.light : null,
    component: made ? reading.component : null,
    part: made ? reading.part : null,
  }
}

/** What a pass is once `change` is set manually; `known`: what was set before. */
export function readingOf(
  pass: ReadPass,
  known: PassReading | undefined,
  change: Partial<PassReading>,
): PassReading {
  const { role, light = null, component = null, part = null } = pass
  const twin = (pass.twin ?? null) as PassReading['twin']
  return withoutLeftovers({ role, light, component, part, twin, ...known, ...change })
}
