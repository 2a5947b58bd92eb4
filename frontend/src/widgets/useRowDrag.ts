import { ref } from 'vue'

/** Rows that are reordered by dragging a handle: bind `handle(key)` to the handle and `row(key)` to the row. */
export function useRowDrag(move: (key: string, to: string) => void) {
  const dragged = ref<string | null>(null)
  const over = ref<string | null>(null)

  const end = () => (dragged.value = over.value = null)

  function start(event: DragEvent, key: string) {
    dragged.value = key
    if (!event.dataTransfer) return
    event.dataTransfer.effectAllowed = 'move'
    event.dataTransfer.setData('text/plain', key)
  }

  function pass(event: DragEvent, key: string) {
    if (dragged.value === null) return
    event.preventDefault()
    over.value = key
  }

  function drop(event: DragEvent, key: string) {
    if (dragged.value === null) return
    event.preventDefault()
    if (dragged.value !== key) move(dragged.value, key)
    end()
  }

  const handle = (key: string) => ({
    draggable: true,
    onDragstart: (event: DragEvent) => start(event, key),
    onDragend: end,
  })
  const row = (key: string) => ({
    class: { 'drop-here': over.value === key && dragged.value !== key },
    onDragover: (event: DragEvent) => pass(event, key),
    onDrop: (event: DragEvent) => drop(event, key),
  })

  return { handle, row }
}
