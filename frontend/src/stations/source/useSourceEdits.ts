import type { PassReading, PatchStep, RenderPass } from '@/api/types'
import { pointerStep } from '@/document/levels'
import { useShot } from '@/stores/shot'
import { readingOf, ROLE_WORDS } from '@/document/passReading'

const REPAIR_WORDS: Record<string, string> = {
  decode: 'Decode from display (sRGB)',
  fill: 'Fill NaN/Inf pixels from their neighbours',
  fireflies: 'Suppress fireflies',
  reverse_depth: 'Reverse depth (near/far)',
  invert_depth: 'Read as inverse depth (1/z)',
  scale: 'Multiply by a factor',
}

/** A repair as a person would say it; one between gamuts is named by them. */
export const wordsOf = (how: string) => REPAIR_WORDS[how] ?? `Convert primaries from ${how}`

/** Changing how the files are read: manual roles, repairs, twins. Many passes at once are one edit. */
export function useSourceEdits() {
  const shots = useShot()

  function readAs(passes: RenderPass[], change: Partial<PassReading>, what: string) {
    const patch = passes.map((p): PatchStep => {
      const value = readingOf(p, shots.document?.source?.roles?.[p.name], change)
      return { op: 'add', path: `/source/roles/${pointerStep(p.name)}`, value }
    })
    void shots.edit(
      patch,
      passes.length === 1 ? `${passes[0]!.name}: ${what}` : `${passes.length} passes: ${what}`,
    )
  }

  /** Confirm a detected role: it is set manually from now on. */
  const confirm = (pass: RenderPass) => readAs([pass], {}, `${ROLE_WORDS[pass.role] ?? pass.role}, confirmed`)

  function asRecognised(passes: RenderPass[]) {
    const known = shots.document?.source?.roles ?? {}
    const patch = passes
      .filter((p) => p.name in known)
      .map((p): PatchStep => ({ op: 'remove', path: `/source/roles/${pointerStep(p.name)}` }))
    if (patch.length) void shots.edit(patch, 'Roles reset to detected')
  }

  function repair(pass: string, how: string) {
    const value = { pass_name: pass, how }
    void shots.edit([{ op: 'add', path: '/source/repairs/-', value }], `${pass}: ${wordsOf(how)}`)
  }

  function undoRepair(index: number) {
    void shots.edit([{ op: 'remove', path: `/source/repairs/${index}` }], 'Repair removed')
  }

  function useTwin(twin: PassReading['twin']) {
    void shots.edit([{ op: 'replace', path: '/source/twin', value: twin }], `Use passes: ${twin ?? 'auto'}`)
  }

  function useRules(rules: Record<string, PassReading>) {
    const patch = Object.entries(rules).map(([name, value]): PatchStep => ({
      op: 'add',
      path: `/source/roles/${pointerStep(name)}`,
      value,
    }))
    void shots.edit(patch, 'Naming rules applied')
  }

  function readAlpha(alpha: 'associated' | 'unassociated' | 'ignored') {
    void shots.edit([{ op: 'add', path: '/source/alpha', value: alpha }], `Alpha ${alpha}`)
  }

  function setFrameRate(rate: number | null) {
    const label = rate ? `Frame rate ${rate} fps` : 'Frame rate of the header'
    void shots.edit([{ op: 'replace', path: '/source/frame_rate', value: rate }], label)
  }

  return { readAlpha, setFrameRate, useRules, readAs, confirm, asRecognised, repair, undoRepair, useTwin }
}
