import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'
import { api, unwrap } from '@/api/client'
import { fetchRevision } from '@/api/revisions'
import type { Note, NoteList, Share } from '@/api/types'
import { useHolds } from './holds'
import { useNotifications } from './notifications'
import { usePointerTool, type ImagePoint } from './pointerTool'
import { useShot } from './shot'
import { useWorkspace } from './workspace'

const PAGE = 200
const AUTHOR = 'escala-author'

/** The notes of the open shot, the shares of its variants, and the place of a note that is being written. */
export const useNotes = defineStore('notes', () => {
  const shots = useShot()
  const workspace = useWorkspace()
  const pointer = usePointerTool()
  const holds = useHolds()
  const notifications = useNotifications()
  const notes = shallowRef<Note[]>([])
  const shares = shallowRef<Share[]>([])
  const open = ref(0)
  const more = ref(false)
  const isOpen = ref(false)
  const chosen = ref<number | null>(null)
  const place = shallowRef<ImagePoint | null>(null)
  const author = ref(localStorage.getItem(AUTHOR) ?? '')
  let release: (() => void) | null = null

  const shownFrame = computed(() => workspace.frame ?? firstFrame())
  /** The open notes of the open variant at the frame that is shown, with a place. */
  const pinned = computed(() =>
    notes.value.filter(
      (note) =>
        note.place &&
        note.variant === shots.variant?.id &&
        note.frame === shownFrame.value &&
        note.state === 'open',
    ),
  )

  function firstFrame(): number {
    return Math.min(...Object.keys(shots.shot?.render.frames ?? { 1: 0 }).map(Number))
  }

  async function page(after: number | null): Promise<NoteList | null> {
    const shot = shots.shot?.id
    if (shot === undefined) return null
    try {
      const query = { shot, limit: PAGE, ...(after === null ? {} : { after }) }
      return await unwrap<NoteList>(api.GET('/api/notes', { params: { query } }))
    } catch (error) {
      notifications.show(error)
      return null
    }
  }

  async function load() {
    const found = await page(null)
    notes.value = found?.notes ?? []
    open.value = found?.open ?? 0
    more.value = found?.more ?? false
  }

  async function loadMore() {
    const found = await page(notes.value.at(-1)?.id ?? null)
    if (!found) return
    notes.value = [...notes.value, ...found.notes]
    more.value = found.more
  }

  async function loadShares() {
    if (!isOpen.value) return
    const found = await unwrap<{ shares: Share[] }>(api.GET('/api/shares')).catch(notifications.show)
    shares.value = (found?.shares ?? []).filter((share) => share.shot === shots.shot?.id)
  }

  watch(() => shots.shot?.id, load, { immediate: true })
  watch(author, (name) => localStorage.setItem(AUTHOR, name))

  /** A click in the image sets the place of the note that is being written, while the panel is open. */
  function show() {
    isOpen.value = true
    void loadShares()
    release ??= pointer.take({
      begin: () => {},
      move: () => {},
      end: () => {},
      words: () => '',
      doing: () => 'Click: place of the note',
      click: (at) => (place.value = at),
      everywhere: true,
    })
  }

  function close() {
    isOpen.value = false
    place.value = null
    chosen.value = null
    release?.()
    release = null
  }

  const toggle = () => (isOpen.value ? close() : show())

  /** Work on the server, then the notes as they are; whether it was done. */
  async function attempt(
    request: Promise<{ data?: unknown; error?: unknown; response: Response }>,
  ): Promise<boolean> {
    try {
      await unwrap(request)
      await load()
      return true
    } catch (error) {
      notifications.show(error)
      return false
    }
  }

  function add(text: string): Promise<boolean> {
    const { variant } = shots
    if (!variant) return Promise.resolve(false)
    const spot = place.value
    return attempt(
      api.POST('/api/notes', {
        body: {
          variant: variant.id,
          text,
          author: author.value,
          revision: variant.head,
          frame: shownFrame.value,
          place: spot ? [spot.x, spot.y] : null,
        },
      }),
    )
  }

  const path = (note: Note) => ({ params: { path: { note_id: note.id } } })
  const setState = (note: Note, state: Note['state']) =>
    attempt(api.PATCH('/api/notes/{note_id}', { ...path(note), body: { state, text: null } }))
  const remove = (note: Note) => attempt(api.DELETE('/api/notes/{note_id}', path(note)))
  const answer = (note: Note, text: string, variant: number | null) =>
    attempt(
      api.POST('/api/notes/{note_id}/answers', {
        ...path(note),
        body: { text, author: author.value, variant },
      }),
    )

  /** To the variant and frame of a note; its variant may be gone. */
  async function jump(note: Note) {
    chosen.value = note.id
    if (
      shots.shot?.variants.some((variant) => variant.id === note.variant) &&
      shots.variant?.id !== note.variant
    )
      await shots.openVariant(note.variant)
    workspace.frame = note.frame
  }

  /** The image that a note was written on, held beside the present one. */
  async function showRevision(note: Note) {
    try {
      await jump(note)
      await fetchRevision(note.variant, note.revision) // refused where it is gone
      const state = { variant: note.variant, base: note.revision, patch: [] }
      holds.holdState(`Note ${note.id}, revision ${note.revision}`, state, note.frame)
      holds.mode = 'held'
    } catch (error) {
      notifications.show(error)
    }
  }

  return {
    notes, shares, open, more, isOpen, chosen, place, author, pinned, shownFrame,
    load, loadMore, loadShares, show, close, toggle, add, setState, remove, answer, jump, showRevision, attempt,
  } // prettier-ignore
})
