import { createSharedComposable } from '@vueuse/core'
import { computed, onScopeDispose, ref, shallowRef } from 'vue'
import { api, bodyOf, fetchPlateSheet, unwrap } from '@/api/client'
import type { Draft, Layer, LayerFacts, PatchStep, PlateFacts } from '@/api/types'
import { useEntries } from '@/composables/useEntries'
import { useSteadily } from '@/composables/useSteadily'
import { withFreeIds } from '@/document/entryIds'
import { useShot } from '@/stores/shot'
import { useWorkspace } from '@/stores/workspace'

const PLACE = '/plate/layers'

/** The layers of the variant on the bench from back to front, the CG among them, in words and with a sheet of tiles. */
export const usePlate = createSharedComposable(() => {
  const shots = useShot()
  const workspace = useWorkspace()
  const entries = useEntries<Layer>(PLACE)
  const facts = shallowRef<PlateFacts | null>(null)
  const sheet = ref('')
  const chosen = ref('')

  async function load(id: number, draft: Draft): Promise<void> {
    const body = { ...bodyOf(draft), frame: workspace.frame }
    const params = { path: { variant_id: id } }
    const [answer, address] = await Promise.all([
      unwrap<{ plate: PlateFacts }>(api.POST('/api/variants/{variant_id}/plate', { params, body })),
      fetchPlateSheet(id, { ...draft, frame: workspace.frame }),
    ])
    facts.value = answer.plate
    if (sheet.value) URL.revokeObjectURL(sheet.value)
    sheet.value = address
  }

  useSteadily(load)
  onScopeDispose(() => sheet.value && URL.revokeObjectURL(sheet.value))

  const layers = computed<LayerFacts[]>(() => facts.value?.layers ?? [])
  const chosenFacts = computed(
    () =>
      layers.value.find((one) => one.id === chosen.value) ?? layers.value.find((one) => one.kind === 'cg'),
  )
  const chosenLayer = computed<Layer | null>(
    () => entries.all.value.find((one) => one.id === chosenFacts.value?.id) ?? null,
  )

  /** The CG has an entry of its own once anything is said of the plate: then it can be moved and edited. */
  function withCg(): PatchStep[] {
    if (entries.all.value.some((one) => one.kind === 'cg')) return []
    return [{ op: 'add', path: `${PLACE}/-`, value: CG }]
  }

  /** Add a layer behind the CG, or before it, as one edit; it becomes the chosen one. */
  function add(layer: object, label: string, where: 'behind' | 'before') {
    const identified = withFreeIds([layer as Layer], entries.all.value)[0]!
    const cg = entries.all.value.findIndex((one) => one.kind === 'cg')
    const at = where === 'before' ? '-' : String(Math.max(cg, 0))
    void shots.edit([...withCg(), { op: 'add', path: `${PLACE}/${at}`, value: identified }], label)
    chosen.value = identified.id!
  }

  const titleOf = (id: string) => layers.value.find((one) => one.id === id)?.title ?? 'Layer'

  /** To the place of another: nearer to the camera, or farther. */
  function move(id: string, to: string) {
    const target = layers.value.findIndex((one) => one.id === to)
    const all = entries.all.value
    const moved = all.find((one) => one.id === id) ?? CG
    const steps = all.some((one) => one.id === id) ? [{ op: 'remove' as const, path: `${PLACE}/${id}` }] : []
    const wanted = Math.min(target, all.length)
    void shots.edit(
      [...steps, { op: 'add', path: `${PLACE}/${wanted}`, value: moved }],
      `${titleOf(id)} moved`,
    )
  }

  /** Make sure that the CG can be edited by its id. */
  const patchOf = (id: string, change: object): PatchStep[] => [
    ...(id === CG.id && !entries.all.value.some((one) => one.id === id) ? withCg() : []),
    ...Object.entries(change).map(([field, value]) => ({
      op: 'add' as const,
      path: `${PLACE}/${id}/${field}`,
      value: value as unknown,
    })),
  ]
  const show = (id: string, change: object) => shots.preview(patchOf(id, change))
  const keep = (id: string, change: object, label: string) =>
    void shots.edit(patchOf(id, change), `${titleOf(id)}: ${label}`)

  return {
    entries,
    facts,
    sheet,
    chosen,
    layers,
    chosenFacts,
    chosenLayer,
    add,
    move,
    show,
    keep,
    titleOf,
    withCg,
  }
})

/** The entry of the CG, which is on top unless the document says otherwise. */
export const CG = {
  kind: 'cg' as const,
  id: 'cg',
  corrections: [],
  edges: { grow_px: 0, soften_px: 0 },
} as unknown as Layer
