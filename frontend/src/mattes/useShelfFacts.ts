import { createSharedComposable } from '@vueuse/core'
import { onScopeDispose, ref, shallowRef } from 'vue'
import { api, fetchShelfSheet, told } from '@/api/client'
import type { PatchStep, Shelf } from '@/api/types'
import { useRoom } from '@/stores/room'
import { useSteadily } from '@/stores/useSteadily'

/** The mattes of the variant on the bench, what each covers, and their sheet of pictures, following every edit. */
export const useShelfFacts = createSharedComposable(() => {
  const room = useRoom()
  const shelf = shallowRef<Shelf | null>(null)
  const sheet = ref('')

  async function load(id: number, patch: PatchStep[]): Promise<void> {
    const { frame } = room
    const body = { patch: patch as unknown as Record<string, never>[], frame }
    const [answer, address] = await Promise.all([
      told<{ shelf: Shelf }>(
        api.POST('/api/variants/{variant_id}/mattes/shelf', { params: { path: { variant_id: id } }, body }),
      ),
      fetchShelfSheet(id, patch, frame),
    ])
    shelf.value = answer.shelf
    if (sheet.value) URL.revokeObjectURL(sheet.value)
    sheet.value = address
  }

  useSteadily(load)
  onScopeDispose(() => sheet.value && URL.revokeObjectURL(sheet.value))
  return { shelf, sheet }
})
