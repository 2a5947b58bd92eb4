import { ref } from 'vue'
import { bringPicture } from '@/api/client'
import { useHolds } from '@/stores/holds'
import { useNotifications } from '@/stores/notifications'

/** A picture file that is dropped on the picture, or chosen, is held for comparing. */
export function useDroppedImage() {
  const holds = useHolds()
  const notifications = useNotifications()
  const over = ref(false)

  async function take(files: Iterable<File>) {
    for (const file of files) {
      try {
        const { picture, title } = await bringPicture(file)
        holds.add({ name: title, patch: [], follows: false, station: 'display', picture })
        if (holds.mode === 'now') holds.mode = 'wipe'
      } catch (error) {
        notifications.show(error)
      }
    }
  }

  function onOver(event: DragEvent) {
    over.value = event.dataTransfer?.types.includes('Files') ?? false
  }

  function onDrop(event: DragEvent) {
    over.value = false
    void take([...(event.dataTransfer?.files ?? [])])
  }

  return { over, take, onOver, onDrop, onLeave: () => (over.value = false) }
}
