<script setup lang="ts">
import { computed } from 'vue'
import { useMattes, type MatteTarget } from '@/stores/mattes'

/** The word that ends whatever can be limited: where it counts. It opens the mattes. */
const props = defineProps<{ what: MatteTarget }>()
const mattes = useMattes()
const matte = computed(() => props.what.matte())
const open = computed(() => mattes.open && mattes.limited?.key === props.what.key)

function toggle() {
  if (open.value) mattes.close()
  else mattes.show(props.what)
}
</script>

<template>
  <button
    type="button"
    class="where"
    :aria-expanded="open"
    :title="`Matte for ${what.words}: select or create one`"
    @click="toggle"
  >
    Matte: <strong>{{ matte ?? 'none' }}</strong>
  </button>
</template>

<style scoped>
.where {
  justify-self: start;
  padding: 1px 6px;
  color: var(--text-2);
}
.where strong {
  color: var(--text-1);
  font-weight: 500;
}
.where[aria-expanded='true'] {
  border-color: var(--accent);
}
</style>
