import { onScopeDispose, ref, shallowRef } from 'vue'
import { api, bodyOf, fetchBoardSheet, unwrap } from '@/api/client'
import type { Board, Draft } from '@/api/types'
import { useWorkspace } from '@/stores/workspace'
import { useSteadily } from '@/composables/useSteadily'

/** The board of the variant on the bench and its sheet of pictures, following every edit. */
export function useBoard() {
  const workspace = useWorkspace()
  const board = shallowRef<Board | null>(null)
  const sheet = ref('')

  async function load(id: number, draft: Draft): Promise<void> {
    const { frame, lifted } = workspace
    const body = { ...bodyOf(draft), frame, lifted }
    const [answer, address] = await Promise.all([
      unwrap<{ board: Board }>(
        api.POST('/api/variants/{variant_id}/board', { params: { path: { variant_id: id } }, body }),
      ),
      fetchBoardSheet(id, { ...draft, frame, lifted }),
    ])
    board.value = answer.board
    if (sheet.value) URL.revokeObjectURL(sheet.value)
    sheet.value = address
  }

  useSteadily(load, () => [workspace.lifted])
  onScopeDispose(() => sheet.value && URL.revokeObjectURL(sheet.value))
  return { board, sheet }
}
