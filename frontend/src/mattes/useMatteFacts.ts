import { createSharedComposable } from '@vueuse/core'
import { onScopeDispose, ref, shallowRef } from 'vue'
import { api, bodyOf, fetchShelfSheet, unwrap } from '@/api/client'
import type { Draft, Shelf } from '@/api/types'
import { useWorkspace } from '@/stores/workspace'
import { useSteadily } from '@/composables/useSteadily'

/** So many mattes are shown at once. */
export const PAGE = 256

/** The mattes of the variant on the bench, what each covers, and their sheet of pictures, following every edit. */
export const useMatteFacts = createSharedComposable(() => {
  const workspace = useWorkspace()
  const shelf = shallowRef<Shelf | null>(null)
  const sheet = ref('')
  /** Which of many mattes are shown: from this one on. */
  const first = ref(0)

  async function load(id: number, draft: Draft): Promise<void> {
    const { frame } = workspace
    const page = { first: first.value, count: PAGE }
    const body = { ...bodyOf(draft), frame, ...page }
    const [answer, address] = await Promise.all([
      unwrap<{ shelf: Shelf }>(
        api.POST('/api/variants/{variant_id}/mattes', { params: { path: { variant_id: id } }, body }),
      ),
      fetchShelfSheet(id, { ...draft, frame, ...page }),
    ])
    shelf.value = answer.shelf
    if (sheet.value) URL.revokeObjectURL(sheet.value)
    sheet.value = address
  }

  useSteadily(load, first)
  onScopeDispose(() => sheet.value && URL.revokeObjectURL(sheet.value))
  return { shelf, sheet, first }
})
