<script setup lang="ts">
import { computed, ref } from 'vue'
import { api } from '@/api/client'
import { useJobs } from '@/stores/jobs'
import { useNotifications } from '@/stores/notifications'
import { useShot } from '@/stores/shot'

/** The further renders of the shot, and how another one is opened into it. */
const emit = defineEmits<{ chosen: [name: string] }>()
const shots = useShot()
const jobs = useJobs()
const notifications = useNotifications()
const source = ref('')
const renders = computed(() => shots.shot?.renders ?? [])

async function open() {
  if (!shots.shot || !source.value.trim()) return
  const params = { path: { shot_id: shots.shot.id } }
  try {
    const body = { sources: [source.value.trim()], name: null }
    await jobs.begin(api.POST('/api/shots/{shot_id}/renders', { params, body }))
    source.value = ''
  } catch (error) {
    notifications.show(error)
  }
}
</script>

<template>
  <div class="group">
    <span class="quiet">Further renders</span>
    <button
      v-for="one in renders"
      :key="one.name"
      type="button"
      :title="`${one.passes} passes${one.has_depth ? '' : ', no depth pass'}`"
      @click="emit('chosen', one.name)"
    >
      {{ one.name }}
    </button>
    <form @submit.prevent="open">
      <input v-model="source" aria-label="Path of a further render" placeholder="Path of a render" />
      <button type="submit" :disabled="!source.trim()">Open</button>
    </form>
  </div>
</template>

<style scoped>
.group,
form {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
  align-items: center;
}
.group > span {
  min-width: 170px;
}
input {
  width: 260px;
}
</style>
