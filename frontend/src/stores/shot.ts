import { useThrottleFn } from '@vueuse/core'
import { defineStore } from 'pinia'
import { computed, ref, shallowRef } from 'vue'
import { api, Problem, told } from '@/api/client'
import { expectNews } from '@/api/events'
import type { PatchStep, Shot, ShotName, Variant, VariantState } from '@/api/types'
import { withPatch } from './levels'
import { useTroubles } from './troubles'

/** What changed with newer files: sentences, and old names to new ones. */
export interface News {
  sentences: string[]
  renamed: Record<string, string>
}

/** While something is dragged, numbers and rulers are drawn anew so often; where pictures come late, less often. */
const SHOWN_EVERY_MS = 16
const SPARING_MS = 50
/** Parts of the document that decide how a render is read: such an edit is proven before it is kept. */
const READS = /^\/(source|tally|recipe)/

/** The shot on the bench, its variant as the server keeps it, and the edit under way. */
export const useShot = defineStore('shot', () => {
  const shots = ref<ShotName[]>([])
  const shot = shallowRef<Shot | null>(null)
  const variant = shallowRef<VariantState | null>(null)
  const draft = shallowRef<PatchStep[]>([])
  const savedAt = ref<number | null>(null)
  const saving = ref(false)
  /** Grows when the pixels behind the shot change, so that pictures are asked for again. */
  const renderKey = ref(0)
  /** What changed with the newest files, in sentences, until it is put away. */
  const news = shallowRef<News | null>(null)
  const deleted = shallowRef<ShotName | null>(null)
  const troubles = useTroubles()
  let queue: Promise<unknown> = Promise.resolve()

  /** The edit under way as the page shows it: pictures follow the hand at once, numbers at most so often. */
  const shownDraft = shallowRef<PatchStep[]>([])
  const sparing = ref(false)
  const showEvery = () => (sparing.value ? SPARING_MS : SHOWN_EVERY_MS)
  const showDraft = useThrottleFn(() => void (shownDraft.value = draft.value), showEvery, true)
  const document = computed<Variant | null>(() =>
    variant.value ? withPatch(variant.value.document, shownDraft.value) : null,
  )

  /** The end of an address of a pass's picture: which variant reads it, and a key that grows with every change. */
  const pictureKey = computed(() => {
    const { source, colour, display } = variant.value?.document ?? {}
    const read = JSON.stringify([source, colour, display])
    return `variant=${variant.value?.id}&key=${renderKey.value}${hashOf(read)}`
  })

  /** Rename a shot, put it aside or back, delete it or bring it back; the last deleted can be brought back. */
  async function changeShot(id: number, change: { name?: string; place?: ShotName['place'] | 'deleted' }) {
    const known = shots.value.find((one) => one.id === id)
    const params = { path: { shot_id: id } }
    const body = { name: null, place: null, ...change }
    await told(api.PUT('/api/shots/{shot_id}', { params, body }))
    if (change.place === 'deleted') deleted.value = known ?? null
    else if (deleted.value?.id === id) deleted.value = null
    await loadShots()
  }

  async function loadShots() {
    shots.value = (await told<{ shots: ShotName[] }>(api.GET('/api/shots'))).shots
  }

  async function openShot(id: number, variantId?: number) {
    const found = await told<Shot>(api.GET('/api/shots/{shot_id}', { params: { path: { shot_id: id } } }))
    shot.value = found
    const wanted = found.variants.find((v) => v.id === variantId) ?? found.variants[0]
    renderKey.value += 1
    if (wanted) await openVariant(wanted.id)
  }

  async function openVariant(id: number) {
    endDraft()
    variant.value = await told<VariantState>(api.GET('/api/variants/{variant_id}', at(id)))
    if (variant.value.trouble) troubles.tell(`It cannot be shown as it is: ${variant.value.trouble}`)
    remember()
  }

  /** Hear of new names and variants; the variant on the bench stays, unless it is gone. */
  async function reloadShot() {
    const id = shot.value?.id
    if (id === undefined) return
    const found = await told<Shot>(api.GET('/api/shots/{shot_id}', { params: { path: { shot_id: id } } }))
    if (shot.value?.id !== id) return
    shot.value = found
    const gone = !found.variants.some((v) => v.id === variant.value?.id)
    if (gone && found.variants[0] && !saving.value) await openVariant(found.variants[0].id)
  }

  /** The pixels behind the shot are new: ask for every picture again. */
  async function reloadRender(found: News) {
    if (found.sentences.length) news.value = found
    await reloadShot()
    if (variant.value)
      variant.value = await told<VariantState>(api.GET('/api/variants/{variant_id}', at(variant.value.id)))
    renderKey.value += 1
  }

  /** Keep an edit. Edits are sent one after another, each on the revision that the one before made. */
  function edit(patch: PatchStep[], label: string): Promise<void> {
    if (patch.some((step) => READS.test(step.path))) expectNews()
    return inTurn(async (state) => {
      const body = { base: state.head, patch: patch as unknown as Record<string, never>[], label }
      return told<VariantState>(api.POST('/api/variants/{variant_id}/edits', { ...at(state.id), body }))
    })
  }

  const undo = () =>
    inTurn((state) => told<VariantState>(api.POST('/api/variants/{variant_id}/undo', at(state.id))))
  const redo = () =>
    inTurn((state) => told<VariantState>(api.POST('/api/variants/{variant_id}/redo', at(state.id))))

  /** Make the variant as it was after a revision; that is an edit like any other. */
  const bringBack = (number: number) =>
    inTurn((state) =>
      told<VariantState>(
        api.POST('/api/variants/{variant_id}/revisions/{number}/bring-back', {
          params: { path: { variant_id: state.id, number } },
        }),
      ),
    )

  /** Show an edit without keeping it, while something is dragged. */
  function preview(patch: PatchStep[]) {
    if (JSON.stringify(patch) === JSON.stringify(draft.value)) return
    draft.value = patch
    void showDraft()
  }

  function endDraft() {
    draft.value = shownDraft.value = []
  }

  async function addVariant(name: string, copy: boolean) {
    if (!shot.value || !variant.value) return
    const body = { name, copy_of: copy ? variant.value.id : null }
    const made = await told<VariantState>(
      api.POST('/api/shots/{shot_id}/variants', { params: { path: { shot_id: shot.value.id } }, body }),
    )
    await openShot(shot.value.id, made.id)
  }

  async function renameVariant(name: string) {
    if (!variant.value) return
    await told(api.PUT('/api/variants/{variant_id}/name', { ...at(variant.value.id), body: { name } }))
    await reloadShot()
  }

  async function deleteVariant() {
    if (!shot.value || !variant.value) return
    await told(api.DELETE('/api/variants/{variant_id}', at(variant.value.id)))
    await openShot(shot.value.id)
  }

  function close() {
    shot.value = null
    variant.value = null
    history.replaceState(null, '', '/')
  }

  function inTurn(send: (state: VariantState) => Promise<VariantState>): Promise<void> {
    const turn = queue.then(async () => {
      const state = variant.value
      if (!state) return
      saving.value = true
      try {
        variant.value = await send(state)
        savedAt.value = Date.now()
      } catch (error) {
        if (error instanceof Problem && error.status === 409) await openVariant(state.id)
        troubles.tell(error)
      } finally {
        saving.value = false
        endDraft()
      }
    })
    queue = turn
    return turn
  }

  function remember() {
    if (shot.value && variant.value)
      history.replaceState(null, '', `/?shot=${shot.value.id}&variant=${variant.value.id}`)
  }

  return {
    shots, shot, variant, draft, document, sparing, savedAt, saving, renderKey, pictureKey, news, deleted, changeShot,
    loadShots, openShot, openVariant, reloadShot,
    reloadRender, edit, undo, redo, bringBack, preview, addVariant, renameVariant, deleteVariant, close,
  } // prettier-ignore
})

/** A short number for a text, so that addresses change when it does. */
function hashOf(text: string): number {
  let hash = 0
  for (const letter of text) hash = (hash * 31 + letter.charCodeAt(0)) | 0
  return hash >>> 0
}

function at(id: number) {
  return { params: { path: { variant_id: id } } }
}
