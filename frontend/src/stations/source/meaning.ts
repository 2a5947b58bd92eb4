import { displayName } from '@/format'
import type { RenderPass } from '@/api/types'

const ROLES: Record<string, string> = {
  beauty: 'The renderer’s beauty, the reference of the sum',
  alpha: 'Alpha (coverage)',
  shadow: 'Shadow',
  occlusion: 'Ambient occlusion',
  depth: 'Distance from the camera',
  normal: 'Surface normal',
  position: 'Position',
  uv: 'Texture coordinates',
  motion: 'Motion vectors, in pixels per frame',
  id: 'Object or material ID',
  cryptomatte: 'Cryptomatte: IDs and coverage of named objects',
  mask: 'Mask',
  variance: 'Variance (noise estimate)',
  other: 'Not recognised; not part of the sum',
}

/** What a pass holds, in a sentence. */
export function meaningOf(pass: RenderPass): string {
  const portion = pass.part && pass.part !== 'total' ? `, ${pass.part}` : ''
  if (pass.role === 'light_group') return `All light of ${displayName(pass.light ?? '')}`
  if (pass.role === 'light_component')
    return `${displayName(pass.light ?? '')} through ${pass.component}${portion}`
  if (pass.role === 'component') {
    return pass.part === 'colour' ? `Albedo of ${pass.component}` : `Component ${pass.component}${portion}`
  }
  return ROLES[pass.role] ?? pass.role
}

/** A role in one or two words, for lists. */
export function shortMeaning(pass: RenderPass): string {
  const words = [pass.light, pass.component, pass.part === 'total' ? null : pass.part].filter(Boolean)
  return words.length ? words.join(' · ').replaceAll('_', ' ') : pass.role
}
