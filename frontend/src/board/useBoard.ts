import { onScopeDispose, ref, shallowRef, watch } from 'vue'
import { api, fetchBoardSheet, told } from '@/api/client'
import type { Board, PatchStep } from '@/api/types'
import { useThrottleFn } from '@vueuse/core'
import { useRoom } from '@/stores/room'
import { useShot } from '@/stores/shot'
import { useTroubles } from '@/stores/troubles'

const MOVING_MS = 500

/** The board of the variant on the bench and its sheet of pictures, following every edit, one request at a time. */
export function useBoard() {
  const shots = useShot()
  const room = useRoom()
  const troubles = useTroubles()
  const board = shallowRef<Board | null>(null)
  const sheet = ref('')
  let busy = false
  let again = false

  async function load(): Promise<void> {
    const id = shots.variant?.id
    if (id === undefined) return
    if (busy) {
      again = true
      return
    }
    busy = true
    try {
      await fetchBoth(id, shots.draft)
    } catch (error) {
      troubles.tell(error)
    } finally {
      busy = false
    }
    if (again) {
      again = false
      void load()
    }
  }

  async function fetchBoth(id: number, patch: PatchStep[]): Promise<void> {
    const body = { patch: patch as unknown as Record<string, never>[], frame: room.frame }
    const [answer, address] = await Promise.all([
      told<{ board: Board }>(
        api.POST('/api/variants/{variant_id}/board', { params: { path: { variant_id: id } }, body }),
      ),
      fetchBoardSheet(id, patch, room.frame),
    ])
    board.value = answer.board
    if (sheet.value) URL.revokeObjectURL(sheet.value)
    sheet.value = address
  }

  /** While a level moves, the small pictures follow at a calmer pace, so that the large one has the machine. */
  const calmly = useThrottleFn(load, MOVING_MS, true)
  watch(
    () => [shots.variant?.id, shots.variant?.head, shots.draft, room.frame, shots.renderKey],
    () => (shots.draft.length ? calmly() : load()),
    {
      immediate: true,
    },
  )
  onScopeDispose(() => sheet.value && URL.revokeObjectURL(sheet.value))
  return { board, sheet }
}
