import { ref } from 'vue'
import { bringPicture } from '@/api/client'
import { SAVED, useHolds } from '@/stores/holds'
import { useNotifications } from '@/stores/notifications'
import { useShot } from '@/stores/shot'

/** A picture file that is dropped on the picture, or chosen, is held for comparing; a variant file is opened. */
export function useDroppedImage() {
  const holds = useHolds()
  const notifications = useNotifications()
  const shots = useShot()
  const over = ref(false)

  async function take(files: Iterable<File>) {
    for (const file of files) {
      try {
        if (file.name.toLowerCase().endsWith('.json')) {
          const report = await shots.openVariantFile(file)
          if (report) notifications.show(report)
          continue
        }
        const { picture, title } = await bringPicture(file)
        holds.add({ name: title, state: SAVED, patch: [], station: 'display', picture })
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
