<script setup lang="ts">
/** The switch of an effect, a correction or an object. `name`: what it switches. */
const props = defineProps<{ on: boolean; name: string; disabled?: boolean }>()
const emit = defineEmits<{ change: [on: boolean] }>()
</script>

<template>
  <button
    type="button"
    class="switch"
    role="switch"
    :aria-checked="props.on"
    :aria-label="`${name} on`"
    :disabled="disabled"
    @click="emit('change', !props.on)"
  >
    <i aria-hidden="true" />On
  </button>
</template>

<style scoped>
.switch {
  display: inline-flex;
  gap: 6px;
  align-items: center;
  padding: 1px 4px;
  border-color: transparent;
  background: none;
  color: var(--text-3);
}
.switch i {
  position: relative;
  width: 22px;
  height: 12px;
  border: 1px solid var(--text-3);
}
.switch i::after {
  content: '';
  position: absolute;
  top: 1px;
  left: 1px;
  width: 8px;
  height: 8px;
  background: var(--text-3);
}
.switch[aria-checked='true'] {
  color: var(--text-1);
}
.switch[aria-checked='true'] i {
  border-color: var(--accent);
}
.switch[aria-checked='true'] i::after {
  left: 11px;
  background: var(--accent);
}
</style>
