import { createSharedComposable } from '@vueuse/core'
import { shallowRef } from 'vue'
import { api, unwrap } from '@/api/client'
import type { Correction, Preset } from '@/api/types'
import { useNotifications } from '@/stores/notifications'

/** Corrections kept under a name, for every shot. */
export const usePresets = createSharedComposable(() => {
  const notifications = useNotifications()
  const presets = shallowRef<Preset[]>([])

  async function load() {
    presets.value = (await unwrap<{ presets: Preset[] }>(api.GET('/api/presets'))).presets
  }

  async function done(work: Promise<unknown>) {
    try {
      await work
      await load()
    } catch (error) {
      notifications.show(error)
    }
  }

  const keep = (name: string, corrections: Correction[]) =>
    done(unwrap(api.PUT('/api/presets', { body: { name, corrections } })))
  const drop = (name: string) => done(unwrap(api.DELETE('/api/presets', { params: { query: { name } } })))
  void load().catch((error) => notifications.show(error))
  return { presets, keep, drop }
})
