<script setup lang="ts">
import { computed } from 'vue'
import { spoken } from '@/stores/levels'
import { useRoom } from '@/stores/room'

const room = useRoom()
const SENTENCES: Record<string, string> = {
  plate: 'Not available: plates are not supported in this version.',
}
const sentence = computed(() => SENTENCES[room.station] ?? '')
</script>

<template>
  <section class="bench-part">
    <h2>{{ spoken(room.station) }}</h2>
    <p class="quiet">{{ sentence }}</p>
  </section>
</template>
