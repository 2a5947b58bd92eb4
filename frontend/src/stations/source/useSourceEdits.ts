import type { PassReading, PatchStep, RenderPass } from '@/api/types'
import { pointerStep } from '@/stores/levels'
import { useShot } from '@/stores/shot'
import { ROLE_WORDS } from './meaning'

const REPAIR_WORDS: Record<string, string> = {
  decode: 'read as display-encoded',
  fill: 'fill not-a-number pixels from their neighbours',
  fireflies: 'suppress fireflies',
  reverse_depth: 'read depth reversed',
  invert_depth: 'read depth as one over distance',
  scale: 'multiply by a factor',
}

/** A repair as a person would say it; one between gamuts is named by them. */
export const wordsOf = (how: string) => REPAIR_WORDS[how] ?? `primaries brought from ${how}`

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

/** Changing how the files are read: roles by hand, repairs, twins. Many passes at once are one edit. */
export function useSourceEdits() {
  const shots = useShot()

  function readAs(passes: RenderPass[], change: Partial<PassReading>, what: string) {
    const patch = passes.map((p): PatchStep => {
      const { role, light, component, part } = p
      const known = shots.document?.source?.roles?.[p.name]
      const twin = (p.twin ?? null) as PassReading['twin']
      const value = withoutLeftovers({ role, light, component, part, twin, ...known, ...change })
      return { op: 'add', path: `/source/roles/${pointerStep(p.name)}`, value }
    })
    void shots.edit(
      patch,
      passes.length === 1 ? `${passes[0]!.name} is ${what}` : `${passes.length} passes are ${what}`,
    )
  }

  /** A guess is right: from now on it is said by hand. */
  const confirm = (pass: RenderPass) => readAs([pass], {}, `${ROLE_WORDS[pass.role] ?? pass.role}, confirmed`)

  function asRecognised(passes: RenderPass[]) {
    const known = shots.document?.source?.roles ?? {}
    const patch = passes
      .filter((p) => p.name in known)
      .map((p): PatchStep => ({ op: 'remove', path: `/source/roles/${pointerStep(p.name)}` }))
    if (patch.length) void shots.edit(patch, 'Roles as recognised')
  }

  function repair(pass: string, how: string) {
    const value = { pass_name: pass, how }
    void shots.edit([{ op: 'add', path: '/source/repairs/-', value }], `${pass}: ${wordsOf(how)}`)
  }

  function undoRepair(index: number) {
    void shots.edit([{ op: 'remove', path: `/source/repairs/${index}` }], 'Repair taken back')
  }

  function useTwin(twin: PassReading['twin']) {
    void shots.edit(
      [{ op: 'replace', path: '/source/twin', value: twin }],
      twin ? `The ${twin} passes` : 'Either twin',
    )
  }

  function useRules(rules: Record<string, PassReading>) {
    const patch = Object.entries(rules).map(([name, value]): PatchStep => ({
      op: 'add',
      path: `/source/roles/${pointerStep(name)}`,
      value,
    }))
    void shots.edit(patch, 'Naming rules used')
  }

  function readAlpha(alpha: 'associated' | 'unassociated' | 'ignored') {
    void shots.edit([{ op: 'add', path: '/source/alpha', value: alpha }], `Alpha ${alpha}`)
  }

  function setFrameRate(rate: number | null) {
    const label = rate ? `${rate} frames a second` : 'Frame rate of the header'
    void shots.edit([{ op: 'replace', path: '/source/frame_rate', value: rate }], label)
  }

  return { readAlpha, setFrameRate, useRules, readAs, confirm, asRecognised, repair, undoRepair, useTwin }
}
