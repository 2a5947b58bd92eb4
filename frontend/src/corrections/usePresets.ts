import { createSharedComposable } from '@vueuse/core'
import { shallowRef } from 'vue'
import { api, told } from '@/api/client'
import type { Correction, Preset } from '@/api/types'
import { useTroubles } from '@/stores/troubles'

/** Corrections kept under a name, for every shot. */
export const usePresets = createSharedComposable(() => {
  const troubles = useTroubles()
  const presets = shallowRef<Preset[]>([])

  async function load() {
    presets.value = (await told<{ presets: Preset[] }>(api.GET('/api/presets'))).presets
  }

  async function done(work: Promise<unknown>) {
    try {
      await work
      await load()
    } catch (error) {
      troubles.tell(error)
    }
  }

  const keep = (name: string, corrections: Correction[]) =>
    done(told(api.PUT('/api/presets', { body: { name, corrections } })))
  const drop = (name: string) => done(told(api.DELETE('/api/presets', { params: { query: { name } } })))
  void load().catch((error) => troubles.tell(error))
  return { presets, keep, drop }
})
