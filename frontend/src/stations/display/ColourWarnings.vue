<script setup lang="ts">
import { percent } from '@/format'
import { shallowRef, watch } from 'vue'
import { api, unwrap } from '@/api/client'
import type { ColourWarning } from '@/api/types'
import { useWorkspace } from '@/stores/workspace'
import { useShot } from '@/stores/shot'
import { useNotifications } from '@/stores/notifications'

/** The classic mistakes of colour, as soon as the chain makes one, with the share of the picture that shows it. */
const shots = useShot()
const workspace = useWorkspace()
const notifications = useNotifications()
const warnings = shallowRef<ColourWarning[]>([])

watch(
  () => [shots.variant?.id, shots.variant?.head, shots.renderKey],
  async () => {
    if (!shots.variant) return
    const params = { path: { variant_id: shots.variant.id } }
    try {
      warnings.value = (
        await unwrap<{ warnings: ColourWarning[] }>(
          api.GET('/api/variants/{variant_id}/colour-warnings', { params }),
        )
      ).warnings
    } catch (error) {
      notifications.show(error)
    }
  },
  { immediate: true },
)
</script>

<template>
  <section v-if="warnings.length" class="bench-part" aria-label="Colour warnings" role="status">
    <div v-for="warning in warnings" :key="warning.code">
      <p class="warning">{{ warning.message }}</p>
      <p v-if="warning.share !== null" class="quiet">
        {{ percent(warning.share) }} of the image.
        <button
          v-if="warning.code === 'outside_gamut'"
          type="button"
          @click="workspace.aids = { ...workspace.aids, show: 'gamut' }"
        >
          Show out-of-gamut pixels
        </button>
      </p>
    </div>
  </section>
</template>
