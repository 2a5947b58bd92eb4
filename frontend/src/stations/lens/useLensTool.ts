import { onScopeDispose, watch, type Ref } from 'vue'
import type { Lens } from '@/api/types'
import { usePointerTool, type ImagePoint } from '@/stores/pointerTool'
import { useOverlays } from '@/stores/overlays'
import { useWorkspace } from '@/stores/workspace'
import { useMattes } from '@/stores/mattes'
import { useShot } from '@/stores/shot'
import type { EffectName } from './rows'
import { heldOf } from './handles'

const NEAR = 14

interface Callbacks {
  moving: (name: EffectName, change: object) => void
  settled: (name: EffectName, change: object) => void
}

/** The handles of the effect that is open, in the picture itself. */
export function useLensTool(open: Ref<EffectName | null>, lens: Ref<Lens>, callbacks: Callbacks) {
  const shots = useShot()
  const workspace = useWorkspace()
  const marks = useOverlays()
  const mattes = useMattes()
  const pointerTools = usePointerTool()
  let held: { effect: EffectName; handle: string; from: ImagePoint } | null = null
  let change: object | null = null

  const now = () => {
    const display = shots.shot?.render.display
    return open.value && display && !mattes.open ? heldOf(open.value, lens.value, display) : null
  }

  function begin(_pixel: unknown, at: ImagePoint) {
    const away = (handle: { at: ImagePoint }) => Math.hypot(handle.at.x - at.x, handle.at.y - at.y)
    const nearest = [...(now()?.handles ?? [])].sort((a, b) => away(a) - away(b))[0]
    const isNear = nearest && away(nearest) * workspace.imageTransform.scale < NEAR
    held = isNear ? { effect: open.value!, handle: nearest.name, from: nearest.at } : null
    change = null
  }

  function move(by: ImagePoint, fine: boolean) {
    const found = now()
    if (!held || !found) return
    const step = (fine ? 0.1 : 1) / workspace.imageTransform.scale
    change = found.move(held.handle, { x: held.from.x + by.x * step, y: held.from.y + by.y * step })
    callbacks.moving(held.effect, change)
  }

  function end() {
    if (held && change) callbacks.settled(held.effect, change)
    held = change = null
  }

  const words = () => ''
  let letGo = () => {}
  watch(
    [open, () => mattes.open],
    () => {
      letGo()
      letGo = now()
        ? pointerTools.take({ begin, move, end, words, doing: words, everywhere: true })
        : () => {}
    },
    { immediate: true },
  )
  watch(
    [open, lens, () => mattes.open],
    () => {
      const found = now()
      const handles = found?.handles.map((handle) => ({ kind: 'handle' as const, ...handle })) ?? []
      marks.show(found ? [...found.marks, ...handles] : [])
    },
    { immediate: true },
  )
  onScopeDispose(() => {
    letGo()
    marks.clear()
  })
}
