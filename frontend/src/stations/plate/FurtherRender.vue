<script setup lang="ts">
import { computed, ref } from 'vue'
import { api, unwrap, type Answer } from '@/api/client'
import { useJobs } from '@/stores/jobs'
import { useNotifications } from '@/stores/notifications'
import { useShot } from '@/stores/shot'
import { usePlate } from './usePlate'

/** The further renders of the shot; another one is opened into it, or takes the place of one. */
const emit = defineEmits<{ chosen: [name: string] }>()
const shots = useShot()
const plate = usePlate()
const jobs = useJobs()
const notifications = useNotifications()
const source = ref('')
const renders = computed(() => shots.shot?.renders ?? [])
/** The render of the chosen layer: what can be replaced or removed. */
const chosen = computed(() => {
  const layer = plate.chosenLayer.value
  return layer?.kind === 'render' ? (renders.value.find((one) => one.name === layer.render) ?? null) : null
})
const proof = (matches: boolean | null) => (matches === null ? 'no recipe' : matches ? 'matches' : 'differs')
const path = computed(() => ({ shot_id: shots.shot!.id }))

async function begin(request: Promise<Answer>) {
  try {
    await jobs.begin(request)
    source.value = ''
  } catch (error) {
    notifications.show(error)
  }
}

const open = () =>
  begin(
    api.POST('/api/shots/{shot_id}/renders', {
      params: { path: path.value },
      body: { sources: [source.value.trim()], name: null },
    }),
  )
const replace = (name: string) =>
  begin(
    api.PUT('/api/shots/{shot_id}/renders/{name}', {
      params: { path: { ...path.value, name } },
      body: { sources: [source.value.trim()] },
    }),
  )

async function remove(name: string) {
  const request = api.DELETE('/api/shots/{shot_id}/renders/{name}', {
    params: { path: { ...path.value, name } },
  })
  await unwrap(request).catch(notifications.show)
}
</script>

<template>
  <div class="group">
    <span class="quiet">Further renders</span>
    <button
      v-for="one in renders"
      :key="one.name"
      type="button"
      :title="`${one.passes} passes, ${proof(one.matches)}${one.has_depth ? '' : ', no depth pass'}`"
      @click="emit('chosen', one.name)"
    >
      {{ one.name }}
    </button>
    <form @submit.prevent="open">
      <input v-model="source" aria-label="Path of a further render" placeholder="Path of a render" />
      <button type="submit" :disabled="!source.trim()">Open</button>
      <template v-if="chosen">
        <button type="button" :disabled="!source.trim()" @click="replace(chosen.name)">
          Replace {{ chosen.name }}
        </button>
        <button type="button" @click="remove(chosen.name)">Remove {{ chosen.name }}</button>
      </template>
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
