import { shallowRef } from 'vue'
import { api, unwrap } from '@/api/client'
import type { DeliveryFile, DeliveryPreset } from '@/api/types'
import { useNotifications } from '@/stores/notifications'

/** The delivery presets of the application and one's own. */
export function useDeliveryPresets() {
  const notifications = useNotifications()
  const presets = shallowRef<DeliveryPreset[]>([])

  async function load() {
    try {
      presets.value = (await unwrap<{ presets: DeliveryPreset[] }>(api.GET('/api/delivery-presets'))).presets
    } catch (error) {
      notifications.show(error)
    }
  }

  async function keep(name: string, files: DeliveryFile[]): Promise<boolean> {
    try {
      await unwrap(api.PUT('/api/delivery-presets', { body: { name, files } as never }))
      await load()
      return true
    } catch (error) {
      notifications.show(error)
      return false
    }
  }

  async function remove(name: string) {
    try {
      await unwrap(api.DELETE('/api/delivery-presets', { params: { query: { name } } }))
      await load()
    } catch (error) {
      notifications.show(error)
    }
  }

  return { presets, load, keep, remove }
}

/** Save a preset as the document that the command line and scripts take. */
export function downloadPreset(preset: DeliveryPreset) {
  const document_ = { escala: 'delivery', name: preset.name, files: preset.files }
  const link = document.createElement('a')
  link.href = URL.createObjectURL(
    new Blob([JSON.stringify(document_, null, 2)], { type: 'application/json' }),
  )
  link.download = `${preset.name.replaceAll(/[^\w.-]+/g, '_')}.json`
  link.click()
  URL.revokeObjectURL(link.href)
}
