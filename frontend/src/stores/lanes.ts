import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'
import { api, bodyOf, unwrap } from '@/api/client'
import type { Curve, Draft, Lane, MovableField, PatchStep } from '@/api/types'
import type { Axis } from '@/document/levels'
import { curveOf, curvePath } from '@/document/overTime'
import { useShot } from './shot'
import { useWorkspace } from './workspace'

/** What moves over the frames of the shot, and which of it is looked at. */
export const useLanes = defineStore('lanes', () => {
  const shots = useShot()
  const workspace = useWorkspace()
  const lanes = shallowRef<Lane[]>([])
  const frames = shallowRef<number[]>([])
  const movable = shallowRef<MovableField[]>([])
  /** Whether the lanes are seen in place of what else is under the image. */
  const open = ref(false)
  const chosen = ref('')
  const chosenLane = computed(() => lanes.value.find((lane) => lane.pointer === chosen.value) ?? null)
  // The light of a lane is the one whose level is edited.
  watch(chosen, (pointer) => {
    const level = /^balance\/(lights|components|cells)\/([^/]+)\//.exec(pointer)
    if (level) workspace.choose(level[1] as Axis, level[2]!.replaceAll('~1', '/').replaceAll('~0', '~'))
  })
  const curve = computed<Curve | null>(() => curveOf(shots.document, chosen.value))

  async function load(id: number, draft: Draft) {
    if (!open.value && !Object.keys(shots.document?.curves ?? {}).length) return take(id, [], [], [], 0)
    const body = { ...bodyOf(draft), frame: workspace.frame }
    const answer = await unwrap<{ lanes: Lane[]; frames: number[]; movable: MovableField[] }>(
      api.POST('/api/variants/{variant_id}/lanes', { params: { path: { variant_id: id } }, body }),
    )
    if (id === shots.variant?.id)
      take(id, answer.lanes, answer.frames, answer.movable, workspace.frame ?? null)
  }

  function take(id: number, next: Lane[], at: number[], others: MovableField[], frame: number | null) {
    lanes.value = next
    frames.value = at
    movable.value = others
    const values = Object.fromEntries(
      next.map((lane) => [lane.pointer, lane.now.length > 1 ? [...lane.now] : lane.now[0]!]),
    )
    shots.settled = next.length ? { variant: id, frame: frame ?? at[0] ?? 0, values } : null
  }

  const frameNow = () =>
    workspace.frame ?? Math.min(...Object.keys(shots.shot?.render.frames ?? {}).map(Number))

  const isMoving = (pointer: string | undefined) =>
    pointer !== undefined && lanes.value.some((lane) => lane.pointer === pointer)

  function show(pointer: string) {
    chosen.value = pointer
    open.value = workspace.lowerOpen = true
  }

  /** A value begins to move as one key: what it is now, at a frame. */
  function begin(pointer: string, words: string, value: number | number[], frame: number) {
    keep(new Map([[pointer, { kind: 'keys', keys: [{ frame, value }] } as Curve]]), `${words}: over time`)
    show(pointer)
  }

  /** Curves by their pointers as the steps of one edit. */
  const stepsOf = (curves: ReadonlyMap<string, Curve>): PatchStep[] =>
    [...curves].map(([pointer, value]) => ({ op: 'add', path: curvePath(shots.document!, pointer), value }))
  const keep = (curves: ReadonlyMap<string, Curve>, label: string) => void shots.edit(stepsOf(curves), label)
  const preview = (curves: ReadonlyMap<string, Curve>) => shots.preview(stepsOf(curves))

  function stop(pointer: string, words: string) {
    void shots.edit([{ op: 'remove', path: curvePath(shots.document!, pointer) }], `${words}: stopped moving`)
    if (chosen.value === pointer) chosen.value = ''
  }

  return {
    lanes, frames, movable, open, chosen, chosenLane, curve, load, isMoving, show, begin, frameNow, keep, preview, stop,
  } // prettier-ignore
})
