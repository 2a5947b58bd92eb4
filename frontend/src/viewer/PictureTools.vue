<script setup lang="ts">
import { computed } from 'vue'
import { useRoom } from '@/stores/room'
import { useShot } from '@/stores/shot'

const emit = defineEmits<{ fit: []; one: []; closer: []; wider: [] }>()
const room = useRoom()
const shots = useShot()
const zoomText = computed(() => `${Math.round(room.scale * 100)} %`)

function hold() {
  if (shots.document && shots.variant) room.hold(`held: ${shots.variant.name}`, shots.document)
}

function flip(to: 'held' | 'wipe') {
  room.comparing = room.comparing === to ? 'now' : to
}
</script>

<template>
  <div class="tools">
    <button type="button" @click="hold">Hold this state</button>
    <template v-if="room.held">
      <button type="button" :aria-pressed="room.comparing === 'held'" @click="flip('held')">Show held</button>
      <button type="button" :aria-pressed="room.comparing === 'wipe'" @click="flip('wipe')">Wipe</button>
    </template>
    <span class="space" />
    <button type="button" aria-label="Zoom out" @click="emit('wider')">−</button>
    <span class="zoom" aria-live="polite">{{ zoomText }}</span>
    <button type="button" aria-label="Zoom in" @click="emit('closer')">+</button>
    <button type="button" :aria-pressed="room.fitted" @click="emit('fit')">Fit</button>
    <button type="button" :aria-pressed="room.scale === 1 && !room.fitted" @click="emit('one')">1:1</button>
  </div>
</template>

<style scoped>
.tools {
  position: absolute;
  inset: auto 0 0 0;
  display: flex;
  align-items: center;
  gap: 4px;
  padding: 4px 8px;
}
.tools button {
  padding: 2px 8px;
  font-size: 12px;
  background: var(--surface-1);
}
.space {
  flex: 1;
}
.zoom {
  min-width: 48px;
  padding: 2px 4px;
  background: var(--surface-1);
  font-size: 12px;
  text-align: center;
}
</style>
