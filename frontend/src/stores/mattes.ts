import { defineStore } from 'pinia'
import { computed, ref, shallowRef } from 'vue'
import type { Matte, PatchStep } from '@/api/types'
import { pointerStep } from '@/document/levels'
import { useShot } from './shot'

/** What can be limited by a matte: its words, the matte that limits it now, and the edit that gives it another. */
export interface MatteTarget {
  /** By what it is known while the shelf is open for it. */
  key: string
  words: string
  matte: () => string | null
  patch: (name: string | null) => PatchStep[]
  /** Whether it has to have a matte: everywhere makes no sense. */
  needed?: boolean
}

/** How a matte is made by a gesture in the picture. */
export type Way =
  'object' | 'depth' | 'position' | 'normal' | 'hue' | 'luminance' | 'shape' | 'ellipse' | 'pass'
/** How the chosen matte is shown: as a thin line, hatched over the picture, or alone. */
export type Seen = 'outline' | 'hatched' | 'alone'

/** The shelf of mattes: whether it is open and for what, which matte is chosen, and how it is looked at and made. */
export const useMattes = defineStore('shelf', () => {
  const shots = useShot()
  const open = ref(false)
  const limited = shallowRef<MatteTarget | null>(null)
  const chosen = ref<string | null>(null)
  const way = ref<Way>('object')
  const seen = ref<Seen>('outline')
  /** The cryptomatte layer whose objects the pointer names; null: all. */
  const layer = ref<string | null>(null)
  const mattes = computed<Record<string, Matte>>(() => shots.document?.mattes ?? {})
  const matte = computed<Matte | null>(() => (chosen.value ? (mattes.value[chosen.value] ?? null) : null))

  /** Open it, to look around or to limit something. */
  function show(what: MatteTarget | null = null) {
    open.value = true
    limited.value = what
    way.value = 'object'
    choose(what?.matte() ?? null)
  }

  function close() {
    open.value = false
    limited.value = null
    choose(null)
  }

  function choose(name: string | null) {
    chosen.value = name
    const kind = name ? mattes.value[name]?.kind : undefined
    if (kind && kind !== 'join') way.value = kind === 'id' || kind === 'channel' ? 'pass' : kind
  }

  /** Another way of making one: what is chosen is let go, if it was made otherwise. */
  function make(next: Way) {
    way.value = next
    const kind = matte.value?.kind
    if (kind !== next && !(next === 'pass' && (kind === 'id' || kind === 'channel'))) chosen.value = null
  }

  /** Limit what the shelf is open for by a matte; null: everywhere. */
  function limit(name: string | null) {
    choose(name)
    const what = limited.value
    if (what && what.matte() !== name)
      void shots.edit(what.patch(name), `Matte for ${what.words}: ${name ?? 'none'}`)
  }

  const place = (name: string) => `/mattes/${pointerStep(name)}`
  const written = (name: string, value: object): PatchStep[] => [{ op: 'add', path: place(name), value }]

  /** Show a matte as a gesture makes it. */
  function preview(name: string, value: object) {
    shots.preview(written(name, value))
  }

  /** Keep a matte; a new one limits at once what the shelf is open for. */
  function keep(name: string, value: object, label: string) {
    const what = limited.value
    const fresh = !(name in (shots.base?.mattes ?? {}))
    const limits = fresh && what ? what.patch(name) : []
    chosen.value = name
    return shots.edit([...written(name, value), ...limits], label)
  }

  /** Change fields of the chosen matte. */
  function change(fields: object, label: string | null) {
    if (!chosen.value || !matte.value) return
    const next = { ...matte.value, ...fields }
    if (label === null) preview(chosen.value, next)
    else void keep(chosen.value, next, `Matte ${chosen.value}: ${label}`)
  }

  /** A name that no matte has yet. */
  function freeName(request: string): string {
    const known = shots.base?.mattes ?? {}
    for (let number = 1; ; number += 1) {
      const name = number === 1 ? request : `${request} ${number}`
      if (!(name in known)) return name
    }
  }

  return {
    open, limited, chosen, way, seen, layer, mattes, matte, show, close, choose, make, limit, preview, keep, change, freeName,
  } // prettier-ignore
})
