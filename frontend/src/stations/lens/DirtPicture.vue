<script setup lang="ts">
import { ref } from 'vue'
import { upload } from '@/api/client'
import { useNearbyImages } from '@/composables/useNearbyImages'
import { useNotifications } from '@/stores/notifications'

/** The picture of the glass: one beside the shot's files, or brought in. */
defineProps<{ picture: string | null }>()
const emit = defineEmits<{ chosen: [path: string | null] }>()

const notifications = useNotifications()
const file = ref<HTMLInputElement>()
const offered = useNearbyImages()
const nameOf = (path: string) => path.split('/').at(-1)!

async function bring(event: Event) {
  const chosen = (event.target as HTMLInputElement).files?.[0]
  if (!chosen) return
  try {
    emit('chosen', await upload(chosen, `dirt-${Date.now()}`))
  } catch (error) {
    notifications.show(error)
  }
}
</script>

<template>
  <div class="bench-head">
    <select
      aria-label="Dirt image"
      :value="picture ?? ''"
      @change="emit('chosen', ($event.target as HTMLSelectElement).value || null)"
    >
      <option value="">None</option>
      <option v-if="picture && !offered.some((one) => one.path === picture)" :value="picture">
        {{ nameOf(picture) }}
      </option>
      <option v-for="one in offered" :key="one.path" :value="one.path">{{ one.name }}</option>
    </select>
    <button type="button" @click="file?.click()">Choose file…</button>
    <input ref="file" type="file" accept=".png,.tif,.tiff,.exr" hidden @change="bring" />
  </div>
</template>

<style scoped>
select {
  flex: 1;
  min-width: 0;
}
</style>
