import type { RenderPass } from '@/api/types'
import { spoken } from '@/stores/levels'

const ROLES: Record<string, string> = {
  beauty: 'The finished picture, the reference for every sum',
  alpha: 'How much of each pixel is covered',
  shadow: 'Where light is held back',
  occlusion: 'How open each place is to its surroundings',
  depth: 'Distance from the camera',
  normal: 'The direction that surfaces face',
  position: 'Where in the scene each pixel lies',
  uv: 'Texture coordinates',
  motion: 'Movement to the next frame, in pixels',
  id: 'Numbers of objects or materials',
  cryptomatte: 'Ids and coverage of named things',
  mask: 'A mask',
  variance: 'How noisy each pixel still is',
  other: 'Not recognised; it takes no part in the sum',
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

/** What a pass holds, in a sentence. */
export function meaningOf(pass: RenderPass): string {
  const portion = pass.part && pass.part !== 'total' ? `, ${pass.part}` : ''
  if (pass.role === 'light_group') return `All light of ${spoken(pass.light ?? '')}`
  if (pass.role === 'light_component')
    return `${spoken(pass.light ?? '')} through ${pass.component}${portion}`
  if (pass.role === 'component') {
    return pass.part === 'colour'
      ? `Surface colour of ${pass.component}`
      : `Component ${pass.component}${portion}`
  }
  return ROLES[pass.role] ?? pass.role
}

/** A role in one or two words, for lists. */
export function shortMeaning(pass: RenderPass): string {
  const words = [pass.light, pass.component, pass.part === 'total' ? null : pass.part].filter(Boolean)
  return words.length ? words.join(' · ').replaceAll('_', ' ') : pass.role
}
