import { createSharedComposable } from '@vueuse/core'
import { computed, shallowRef, watch } from 'vue'
import { api, unwrap } from '@/api/client'
import type { ColourOffer } from '@/api/types'
import { useShot } from '@/stores/shot'
import { useNotifications } from '@/stores/notifications'

const DEFAULT_CONFIG = 'ACES 2'

/** What the config of the variant on the bench offers, with the values of its variables. */
export const useColourOffer = createSharedComposable(() => {
  const shots = useShot()
  const notifications = useNotifications()
  const offer = shallowRef<ColourOffer | null>(null)
  const config = computed(() => shots.document?.colour?.config ?? DEFAULT_CONFIG)
  const context = computed(() =>
    Object.entries(shots.document?.colour?.context ?? {}).map(([name, value]) => `${name}=${value}`),
  )

  async function load() {
    const query = { config: config.value, context: context.value }
    try {
      offer.value = await unwrap<ColourOffer>(api.GET('/api/colour', { params: { query } }))
    } catch (error) {
      notifications.show(error)
    }
  }

  watch(() => [config.value, ...context.value].join('\n'), load, { immediate: true })
  return { offer, config, load }
})
