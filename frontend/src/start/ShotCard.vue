<script setup lang="ts">
import { displayName, pluralise } from '@/format'
import { useTimeAgo } from '@vueuse/core'
import { ref } from 'vue'
import { passPicture } from '@/api/client'
import type { ShotName } from '@/api/types'
import { useShot } from '@/stores/shot'
import { useNotifications } from '@/stores/notifications'

/** A shot on the first page: its picture, what it is, when it was last changed and how; and what can be done with it. */
const props = defineProps<{ shot: ShotName }>()
const emit = defineEmits<{ open: [] }>()
const shots = useShot()
const notifications = useNotifications()
const naming = ref(false)
const ago = useTimeAgo(() => props.shot.changed)

function change(next: Parameters<typeof shots.changeShot>[1]) {
  shots.changeShot(props.shot.id, next).catch((error) => notifications.show(error))
}

function rename(event: Event) {
  const name = (event.target as HTMLInputElement).value.trim()
  naming.value = false
  if (name && name !== props.shot.name) change({ name })
}
</script>

<template>
  <article class="card">
    <button type="button" class="shot" @click="emit('open')">
      <img
        v-if="shot.cover"
        :src="passPicture(shot.id, shot.cover, 640, null, `key=${shots.renderKey}`)"
        alt=""
      />
      <span class="name">{{ displayName(shot.name) }}</span>
      <span class="quiet"
        >{{ shot.width }} × {{ shot.height }} · {{ pluralise(shot.passes, 'pass') }} ·
        {{ shot.frames === 1 ? 'still' : pluralise(shot.frames, 'frame') }}</span
      >
      <span class="quiet">{{ ago }}: {{ shot.change }}</span>
    </button>
    <input
      v-if="naming"
      :value="shot.name"
      aria-label="Shot name"
      autofocus
      @blur="rename"
      @keydown.enter="($event.target as HTMLInputElement).blur()"
      @keydown.escape.prevent="naming = false"
    />
    <div v-else class="acts" role="group" :aria-label="displayName(shot.name)">
      <button type="button" @click="naming = true">Rename</button>
      <button type="button" @click="change({ status: shot.status === 'active' ? 'archived' : 'active' })">
        {{ shot.status === 'active' ? 'Archive' : 'Unarchive' }}
      </button>
      <button type="button" @click="change({ status: 'deleted' })">Delete</button>
    </div>
  </article>
</template>

<style scoped>
.card {
  display: grid;
  border: 1px solid var(--line);
  background: var(--surface-1);
}
.shot {
  display: grid;
  padding: 0 0 6px;
  border: 0;
  background: none;
  text-align: left;
  min-width: 0;
}
.shot img {
  width: 100%;
  aspect-ratio: 16 / 9;
  object-fit: cover;
  background: #000;
}
.shot span {
  overflow: hidden;
  padding: 0 10px;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.shot .name {
  padding-top: 6px;
  font-weight: 600;
}
.acts {
  display: flex;
  gap: 2px;
  padding: 0 2px 4px;
}
.acts button {
  padding: 0 8px;
  border: 0;
  background: none;
  color: var(--text-3);
  font-size: 12px;
}
</style>
