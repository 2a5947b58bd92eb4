import { useThrottleFn } from '@vueuse/core'
import { defineStore } from 'pinia'
import { computed, ref, shallowRef } from 'vue'
import { api, Problem, unwrap } from '@/api/client'
import { expectRenderUpdate } from '@/api/events'
import type {
  CheckResult,
  Draft,
  PatchStep,
  Shot,
  ShotName,
  Variant,
  VariantAnswer,
  VariantState,
} from '@/api/types'
import { withPatch } from '@/document/levels'
import { showLightsAs } from '@/format'
import { editOverTime, settledDocument, type Settled } from '@/document/overTime'
import { useNotifications } from './notifications'

/** What changed with newer files: sentences, and old names to new ones. */
interface RenderUpdate {
  sentences: string[]
  renamed: Record<string, string>
}

/** While something is dragged, numbers and rulers are drawn anew so often; where pictures come late, less often. */
const SHOWN_EVERY_MS = 16
const SPARING_MS = 50
/** Parts of the document that decide how a render is read: such an edit is proven before it is kept. */
const READS = /^\/(source|tally|recipe)/

/** Steps of arrow keys and wheel become one edit, this long after the last of them. */
const STEPS_MS = 350

/** An edit that the server has not acknowledged yet; pictures and numbers show it meanwhile. */
interface Unsaved {
  variant: number
  patch: PatchStep[]
}

/** Steps that are not sent yet, since more of them may come. */
interface Steps extends Unsaved {
  label: string
  timer: ReturnType<typeof setTimeout>
}

/** The open shot, its variant as the server keeps it, and what is not saved yet: edits on their way, and a drag. */
export const useShot = defineStore('shot', () => {
  const shots = ref<ShotName[]>([])
  /** What is stored and cannot be read, in sentences. */
  const problems = ref<string[]>([])
  const loaded = ref(false)
  const shot = shallowRef<Shot | null>(null)
  const variant = shallowRef<VariantState | null>(null)
  /** The drag under way, and the edits that were made and are not acknowledged yet. */
  const drag = shallowRef<PatchStep[]>([])
  const unsaved = shallowRef<Unsaved[]>([])
  const savedAt = ref<number | null>(null)
  const waiting = ref(0)
  const saving = computed(() => waiting.value > 0)
  /** Grows when the pixels behind the shot change, so that images are requested again. */
  const renderKey = ref(0)
  /** What changed with the newest files, in sentences, until it is put away. */
  const renderUpdate = shallowRef<RenderUpdate | null>(null)
  const deleted = shallowRef<ShotName | null>(null)
  /** The variant of this shot that was deleted last; until the server's next start it can be restored. */
  const deletedVariant = shallowRef<{ shot: number; id: number; name: string } | null>(null)
  const notifications = useNotifications()
  /** The newest revision that this page knows of each variant: the base of the next edit of it. */
  const heads = new Map<number, number>()
  let queue: Promise<unknown> = Promise.resolve()
  let wanted = 0
  let areSteps = false
  let steps: Steps | null = null

  const made = computed(() =>
    unsaved.value.filter((edit) => edit.variant === variant.value?.id).flatMap((edit) => edit.patch),
  )
  const head = computed(() => variant.value?.head ?? null)
  /** What every image is requested with: the edits on their way, then the drag, on the revision that is shown. */
  const draft = computed<Draft>(() => ({ base: head.value, patch: [...made.value, ...drag.value] }))
  /** The state that is shown, to be held: it names the revision and carries only what is not saved. */
  const state = computed(() => ({ variant: variant.value?.id, ...draft.value }))
  /** The document with all that was edited, without the drag: what the next gesture begins from. */
  const own = computed<Variant | null>(() =>
    variant.value ? withPatch(variant.value.document, made.value) : null,
  )
  /** The values of what moves, at the frame that is looked at; null while nothing moves. */
  const settled = shallowRef<Settled | null>(null)
  const settledHere = computed(() => (settled.value?.variant === variant.value?.id ? settled.value : null))
  /** As it is at the frame that is looked at. */
  const base = computed<Variant | null>(() => own.value && settledDocument(own.value, settledHere.value))

  /** The drag as the page shows it: pictures follow the pointer at once, numbers at most so often. */
  const shownDrag = shallowRef<PatchStep[]>([])
  const sparing = ref(false)
  const showEvery = () => (sparing.value ? SPARING_MS : SHOWN_EVERY_MS)
  let gesture: PatchStep[] = []
  const showDrag = useThrottleFn(() => void (shownDrag.value = gesture), showEvery, true)
  const document = computed<Variant | null>(() =>
    base.value ? withPatch(base.value, shownDrag.value) : null,
  )

  /** The end of an address of a pass's picture: which variant reads it, and a key that grows with every change. */
  const pictureKey = computed(() => {
    const { source, colour, display } = variant.value?.document ?? {}
    const read = JSON.stringify([source, colour, display])
    return `variant=${variant.value?.id}&key=${renderKey.value}${hashOf(read)}`
  })

  /** Rename, archive, unarchive, delete or restore a shot; the last deleted one can be restored. */
  async function changeShot(id: number, change: { name?: string; status?: ShotName['status'] | 'deleted' }) {
    const known = shots.value.find((one) => one.id === id)
    const params = { path: { shot_id: id } }
    const body = { name: null, status: null, light_names: null, ...change }
    await unwrap(api.PUT('/api/shots/{shot_id}', { params, body }))
    if (change.status === 'deleted') deleted.value = known ?? null
    else if (deleted.value?.id === id) deleted.value = null
    await loadShots()
  }

  /** What people call a light of this shot; nothing: its own name. */
  async function nameLight(light: string, name: string) {
    const params = { path: { shot_id: shot.value!.id } }
    const body = { name: null, status: null, light_names: { [light]: name } }
    await unwrap(api.PUT('/api/shots/{shot_id}', { params, body }))
    await reloadShot()
  }

  async function loadShots() {
    const found = await unwrap<{ shots: ShotName[]; problems: string[] }>(api.GET('/api/shots'))
    shots.value = found.shots
    problems.value = found.problems
    loaded.value = true
  }

  async function openShot(id: number, variantId?: number) {
    const mine = (wanted += 1)
    const found = await unwrap<Shot>(api.GET('/api/shots/{shot_id}', { params: { path: { shot_id: id } } }))
    if (mine !== wanted) return
    shot.value = found
    showLightsAs(found.light_names)
    const first = found.variants.find((v) => v.id === variantId) ?? found.variants[0]
    renderKey.value += 1
    if (first) await openVariant(first.id)
  }

  /** Open a variant of the shot; of several requested, the last is opened. */
  async function openVariant(id: number) {
    const mine = (wanted += 1)
    sendSteps()
    endDrag()
    const found = await inTurn(() => fetchVariant(id))
    if (mine !== wanted) return
    endDrag()
    variant.value = found
    if (found.trouble) notifications.show(`This variant cannot be displayed: ${found.trouble}`)
  }

  async function fetchVariant(id: number): Promise<VariantState> {
    const found = await unwrap<VariantState>(api.GET('/api/variants/{variant_id}', at(id)))
    heads.set(id, found.head)
    return found
  }

  /** The state of a variant, if it is still the open one; a drag under way goes on. */
  function adopt(state: VariantAnswer) {
    heads.set(state.id, state.head)
    if (variant.value?.id !== state.id) return
    variant.value = { ...state, reading: state.reading ?? variant.value.reading }
  }

  /** Another client made an edit, perhaps: once all own edits are answered, take its state over. */
  async function onHead(id: number, head: number) {
    await inTurn(async () => {
      if (variant.value?.id === id && heads.get(id) !== head) adopt(await fetchVariant(id))
    })
  }

  /** Hear of new names and variants; the open variant stays, unless it is gone. */
  async function reloadShot() {
    const id = shot.value?.id
    if (id === undefined) return
    const found = await unwrap<Shot>(api.GET('/api/shots/{shot_id}', { params: { path: { shot_id: id } } }))
    if (shot.value?.id !== id) return
    shot.value = found
    showLightsAs(found.light_names)
    const gone = !found.variants.some((v) => v.id === variant.value?.id)
    if (gone && found.variants[0]) await openVariant(found.variants[0].id)
  }

  /** The pixels behind the shot are new: request every image again. */
  async function reloadRender(found: RenderUpdate) {
    if (found.sentences.length) renderUpdate.value = found
    await reloadShot()
    const id = variant.value?.id
    if (id !== undefined) await inTurn(async () => adopt(await fetchVariant(id)))
    renderKey.value += 1
  }

  /** Save an edit. Edits are sent one after another, each on the revision that the one before made. */
  function edit(patch: PatchStep[], label: string): Promise<void> {
    const id = variant.value?.id
    if (id === undefined) return Promise.resolve()
    patch = atFrame(patch, true)
    if (areSteps) return Promise.resolve(addSteps(id, patch, label))
    sendSteps()
    return save(id, patch, label)
  }

  function save(id: number, patch: PatchStep[], label: string): Promise<void> {
    if (patch.some((step) => READS.test(step.path))) expectRenderUpdate()
    endDrag()
    return change(id, patch, (base) => {
      const body = { base, patch: patch as unknown as Record<string, never>[], label }
      return unwrap<VariantAnswer>(api.POST('/api/variants/{variant_id}/edits', { ...at(id), body }))
    })
  }

  /** What `work` edits are steps of a key or the wheel: they are saved as one edit once no more of them come. */
  function asSteps(work: () => void) {
    areSteps = true
    try {
      work()
    } finally {
      areSteps = false
    }
  }

  function addSteps(variant: number, patch: PatchStep[], label: string) {
    if (steps && !isSameChange(steps, variant, patch)) sendSteps()
    clearTimeout(steps?.timer)
    steps = { variant, patch, label, timer: setTimeout(sendSteps, STEPS_MS) }
  }

  /** Save steps now, whatever comes: another edit, another variant, the end of the page. */
  function sendSteps() {
    if (!steps) return
    const { variant, patch, label, timer } = steps
    clearTimeout(timer)
    steps = null
    void save(variant, patch, label)
  }

  const undo = () => walk('undo')
  const redo = () => walk('redo')

  function walk(way: 'undo' | 'redo'): Promise<void> {
    sendSteps()
    const id = variant.value?.id
    if (id === undefined) return Promise.resolve()
    const address = `/api/variants/{variant_id}/${way}` as const
    return change(id, [], (base) => unwrap<VariantAnswer>(api.POST(address, { ...at(id), body: { base } })))
  }

  /** Make the variant as it was after a revision; that is an edit like any other. */
  function restore(number: number): Promise<void> {
    sendSteps()
    const id = variant.value?.id
    if (id === undefined) return Promise.resolve()
    const params = { path: { variant_id: id, number } }
    return change(id, [], (base) =>
      unwrap<VariantAnswer>(
        api.POST('/api/variants/{variant_id}/revisions/{number}/restore', { params, body: { base } }),
      ),
    )
  }

  /** Show an edit without saving it, while something is dragged. */
  /** An edit made at the frame that is looked at, as one of the document: what moves gets a key there. */
  function atFrame(patch: PatchStep[], isEdit: boolean): PatchStep[] {
    const now = settledHere.value
    if (!own.value || !now) return patch
    const found = editOverTime(own.value, now, patch)
    if (!isEdit) return found.patch
    settled.value = { ...now, values: { ...now.values, ...found.values } }
    if (found.refused.length)
      notifications.show('This value moves by a curve that no key can change: convert it to keys first.')
    return found.patch
  }

  function preview(patch: PatchStep[]) {
    gesture = patch
    patch = atFrame(patch, false)
    if (steps && !isSameChange(steps, variant.value?.id, patch)) sendSteps()
    if (JSON.stringify(patch) === JSON.stringify(drag.value)) return
    drag.value = patch
    void showDrag()
  }

  function endDrag() {
    drag.value = shownDrag.value = gesture = []
  }

  async function addVariant(name: string, copy: boolean) {
    if (!shot.value || !variant.value) return
    sendSteps()
    await queue
    const body = { name, copy_of: copy ? variant.value.id : null, document: null }
    const made = await unwrap<VariantState>(
      api.POST('/api/shots/{shot_id}/variants', { params: { path: { shot_id: shot.value.id } }, body }),
    )
    await openShot(shot.value.id, made.id)
  }

  /** A new variant from a document that was saved as a file; what of it is unresolved or missing, in a sentence. */
  async function openVariantFile(file: File): Promise<string> {
    if (!shot.value) return ''
    sendSteps()
    await queue
    let document: unknown
    try {
      document = JSON.parse(await file.text())
    } catch {
      throw new Error(`${file.name} is not a variant: it holds no JSON.`)
    }
    const name = freeVariantName(file.name.replace(/\.json$/i, '') || 'Variant')
    const made = await addDocument(name, document as Variant)
    const { waiting, missing_files } = await unwrap<CheckResult>(
      api.GET('/api/variants/{variant_id}/check', at(made.id)),
    )
    const parts = [
      waiting.length ? `unresolved: ${waiting.map((one) => one.name).join(', ')}` : '',
      missing_files.length ? `missing files: ${missing_files.join(', ')}` : '',
    ].filter(Boolean)
    return parts.length ? `${name} was opened; ${parts.join('; ')}.` : ''
  }

  /** A new variant from a document, opened. */
  async function addDocument(name: string, document: Variant): Promise<VariantState> {
    const params = { path: { shot_id: shot.value!.id } }
    const body = { name, copy_of: null, document }
    const made = await unwrap<VariantState>(api.POST('/api/shots/{shot_id}/variants', { params, body }))
    await openShot(shot.value!.id, made.id)
    return made
  }

  function freeVariantName(base: string): string {
    const taken = new Set(shot.value?.variants.map((one) => one.name))
    for (let number = 1; ; number += 1) {
      const name = number === 1 ? base : `${base} ${number}`
      if (!taken.has(name)) return name
    }
  }

  /** The command line that writes the image of the open variant. */
  async function commandLine(): Promise<string> {
    const answer = api.GET('/api/variants/{variant_id}/command', at(variant.value!.id))
    return (await unwrap<{ line: string }>(answer)).line
  }

  async function renameVariant(name: string) {
    if (!variant.value) return
    await unwrap(api.PUT('/api/variants/{variant_id}/name', { ...at(variant.value.id), body: { name } }))
    await reloadShot()
  }

  /** Delete the open variant. Another one is opened first, so that no image of a deleted variant is requested. */
  async function deleteVariant() {
    if (!shot.value || !variant.value) return
    sendSteps()
    await queue
    const { id, name } = variant.value
    const other = shot.value.variants.find((one) => one.id !== id)
    if (other) await openVariant(other.id)
    await unwrap(api.DELETE('/api/variants/{variant_id}', at(id)))
    deletedVariant.value = { shot: shot.value.id, id, name }
    await reloadShot()
  }

  /** Bring the variant back that was deleted last, with its history. */
  async function restoreVariant() {
    const gone = deletedVariant.value
    if (!gone) return
    await unwrap(api.POST('/api/variants/{variant_id}/restore', at(gone.id)))
    deletedVariant.value = null
    await openShot(gone.shot, gone.id)
  }

  function close() {
    sendSteps()
    wanted += 1
    shot.value = null
    variant.value = null
  }

  /** Work after all that was begun before; what fails ends only itself. */
  function inTurn<Result>(work: () => Promise<Result>): Promise<Result> {
    const turn = queue.then(work)
    queue = turn.catch(() => undefined)
    return turn
  }

  /** Change a variant on the server, on its newest revision that is known then; `patch` is shown until it is saved. */
  function change(
    id: number,
    patch: PatchStep[],
    send: (base: number) => Promise<VariantAnswer>,
  ): Promise<void> {
    const mine: Unsaved = { variant: id, patch }
    if (patch.length) unsaved.value = [...unsaved.value, mine]
    waiting.value += 1
    return inTurn(async () => {
      try {
        const state = await send(heads.get(id) ?? 0)
        forget(mine)
        adopt(state)
        savedAt.value = Date.now()
      } catch (error) {
        forget(mine)
        notifications.show(error)
        if (error instanceof Problem && error.status === 409)
          await fetchVariant(id).then(adopt, (failed) => notifications.show(failed))
      } finally {
        waiting.value -= 1
      }
    })
  }

  function forget(edit: Unsaved) {
    if (unsaved.value.includes(edit)) unsaved.value = unsaved.value.filter((one) => one !== edit)
  }

  window.addEventListener('pagehide', sendSteps)

  return {
    shots, loaded, problems, shot, variant, draft, state, base, document, settled, sparing, savedAt, saving, renderKey, pictureKey, renderUpdate, deleted,
    changeShot, loadShots, openShot, openVariant, reloadShot, reloadRender, onHead,
    edit, asSteps, undo, redo, restore, preview, nameLight, addVariant, addDocument, openVariantFile, freeVariantName, commandLine, renameVariant, deleteVariant,
    deletedVariant, restoreVariant, close,
  } // prettier-ignore
})

/** Whether an edit sets what steps before it set. */
function isSameChange(before: Unsaved, variant: number | undefined, patch: PatchStep[]): boolean {
  const paths = (of: PatchStep[]) => of.map((step) => step.path).join()
  return before.variant === variant && paths(before.patch) === paths(patch)
}

/** A short number for a text, so that addresses change when it does. */
function hashOf(text: string): number {
  let hash = 0
  for (const letter of text) hash = (hash * 31 + letter.charCodeAt(0)) | 0
  return hash >>> 0
}

function at(id: number) {
  return { params: { path: { variant_id: id } } }
}
