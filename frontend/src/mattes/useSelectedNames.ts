import type { Matte } from '@/api/types'
import type { ImagePoint } from '@/stores/pointerTool'
import { useMattes } from '@/stores/mattes'
import { useObjectPicker } from './useObjectPicker'

const LONGEST_NAME = 60
const LONGEST_LABEL = 190

/** What a gesture makes: the chosen matte where that is of its kind, else a new one of that name. */
export function useTarget() {
  const mattes = useMattes()
  return function target(kind: Matte['kind'], request: string): { name: string; before: object } {
    const same = mattes.matte?.kind === kind && mattes.chosen
    return same
      ? { name: same, before: mattes.matte! }
      : { name: mattes.freeName(request.slice(0, LONGEST_NAME)), before: {} }
  }
}

/** Names of objects taken into the chosen matte, and given back. */
export function useSelectedNames() {
  const mattes = useMattes()
  const pointing = useObjectPicker()
  const target = useTarget()

  /** Add names to the chosen matte of objects, or make one. `toggles`: names that are in it already are given back. */
  async function takeNames(names: string[], toggles = false) {
    if (!names.length) return
    const aim = target('object', names.length > 1 ? 'objects' : names[0]!)
    const before = ((aim.before as { names?: string[] }).names ?? []) as string[]
    const gone = toggles && names.every((one) => before.includes(one))
    const next = gone
      ? before.filter((one) => !names.includes(one))
      : [...before, ...names.filter((one) => !before.includes(one))]
    const label = `Matte ${aim.name}: ${names.join(', ')} ${gone ? 'removed' : 'added'}`
    const layer = mattes.layer ? { layer: mattes.layer } : {}
    const value = { ...aim.before, kind: 'object', ...layer, names: next }
    await mattes.keep(aim.name, value, label.slice(0, LONGEST_LABEL))
  }

  /** All that lies in the frame of a drag, of the layer that is nearest. */
  async function takeAll(from: ImagePoint, to: ImagePoint) {
    const left = Math.floor(Math.min(from.x, to.x))
    const top = Math.floor(Math.min(from.y, to.y))
    const wide = Math.max(1, Math.round(Math.abs(to.x - from.x)))
    const high = Math.max(1, Math.round(Math.abs(to.y - from.y)))
    const { found } = await pointing.pick(left, top, wide, high)
    await takeNames(found.filter((one) => one.layer === found[0]?.layer).map((one) => one.name))
  }

  /** The object under a place; a second time it is given back. */
  async function takeAt(at: ImagePoint) {
    const { found } = await pointing.pick(Math.floor(at.x), Math.floor(at.y))
    if (found[0]) await takeNames([found[0].name], true)
  }

  return { takeNames, takeAll, takeAt }
}
