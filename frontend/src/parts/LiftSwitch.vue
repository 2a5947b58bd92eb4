<script setup lang="ts">
import { useRoom } from '@/stores/room'

/** One switch for all small pictures: as bright as they are, or lifted to be seen. */
const room = useRoom()
</script>

<template>
  <button
    type="button"
    :aria-pressed="room.lifted"
    title="Show dark thumbnails brighter; each says by how many stops"
    @click="room.lifted = !room.lifted"
  >
    Brighten dark thumbnails
  </button>
</template>
