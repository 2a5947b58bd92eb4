<script setup lang="ts">
import { useRoom } from '@/stores/room'

/** One switch for all small pictures: as bright as they are, or lifted to be seen. */
const room = useRoom()
</script>

<template>
  <button
    type="button"
    :aria-pressed="room.lifted"
    title="Dark small pictures are shown brighter, each by the stops that it tells"
    @click="room.lifted = !room.lifted"
  >
    {{ room.lifted ? 'dark ones lifted' : 'as bright as they are' }}
  </button>
</template>
