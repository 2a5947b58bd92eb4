<script setup lang="ts">
import { computed } from 'vue'
import { spoken } from '@/stores/levels'
import { useRoom } from '@/stores/room'

const room = useRoom()
const SENTENCES: Record<string, string> = {
  plate: 'There is no plate. Backgrounds and foregrounds are not built yet.',
}
const sentence = computed(() => SENTENCES[room.station] ?? '')
</script>

<template>
  <section class="bench-part">
    <h2>{{ spoken(room.station) }}</h2>
    <p class="quiet">{{ sentence }}</p>
  </section>
</template>
