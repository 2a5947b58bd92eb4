<script setup lang="ts">
import { useNotifications } from '@/stores/notifications'

const notifications = useNotifications()
</script>

<template>
  <div class="troubles" role="alert">
    <div v-for="sentence in notifications.sentences" :key="sentence.id" class="trouble">
      <span>{{ sentence.text }}</span>
      <button type="button" @click="notifications.dismiss(sentence.id)">Close</button>
    </div>
  </div>
</template>

<style scoped>
.troubles {
  position: fixed;
  z-index: 10;
  bottom: 36px;
  left: 14px;
  display: grid;
  gap: 6px;
  max-width: 640px;
}
.trouble {
  display: flex;
  gap: 12px;
  align-items: baseline;
  justify-content: space-between;
  padding: 8px 12px;
  background: var(--surface-1);
  border: 1px solid var(--warning);
  color: var(--warning);
}
</style>
