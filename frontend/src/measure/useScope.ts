import { createSharedComposable } from '@vueuse/core'
import { computed, onScopeDispose, ref, shallowRef } from 'vue'
import { fetchScope, type ScopeRequest } from '@/api/client'
import type { Draft } from '@/api/types'
import { useWorkspace } from '@/stores/workspace'
import { useObjectPicker } from '@/mattes/useObjectPicker'
import { useSteadily } from '@/composables/useSteadily'

export type ScopeKind = Exclude<ScopeRequest['kind'], 'overlay'>
/** Over what a scope counts: the whole picture, the part in view, or an object by its name. */
export type Within = { what: 'whole' } | { what: 'view' } | { what: 'object'; name: string }

const WIDTH = 324
const ROWS: Record<ScopeKind, number> = { waveform: 144, parade: 144, histogram: 144, chromaticity: 300 }

/** The address of a scope's picture, following every edit; how it is chosen stays while the workspace changes. */
export const useScope = createSharedComposable(() => {
  const workspace = useWorkspace()
  const kind = ref<ScopeKind>('waveform')
  const scale = ref<ScopeRequest['scale']>('stops')
  const within = shallowRef<Within>({ what: 'whole' })
  const picture = ref('')

  async function load(id: number, draft: Draft): Promise<void> {
    const address = await fetchScope(id, {
      ...{ kind: kind.value, scale: scale.value, columns: WIDTH, rows: ROWS[kind.value] },
      region: within.value.what === 'view' ? workspace.view : null,
      object_name: within.value.what === 'object' ? within.value.name : null,
      ...{ ...draft, frame: workspace.frame, station: workspace.viewStation },
    })
    if (picture.value) URL.revokeObjectURL(picture.value)
    picture.value = address
  }

  const part = () => (within.value.what === 'view' ? workspace.view : null)
  useSteadily(load, () => [kind.value, scale.value, within.value, part(), workspace.viewStation])
  onScopeDispose(() => picture.value && URL.revokeObjectURL(picture.value))
  return { kind, scale, within, picture }
})

/** The objects that the render names. */
export function useObjects() {
  const { layers } = useObjectPicker()
  return computed(() => [...new Set(layers.value.flatMap((layer) => layer.names))].sort())
}
