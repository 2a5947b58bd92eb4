<script setup lang="ts">
import { ref } from 'vue'
import { readCdl } from '@/api/client'
import { useShot } from '@/stores/shot'
import { useNotifications } from '@/stores/notifications'

/** Import a CDL file into a correction, and export the CDL of the variant. */
const emit = defineEmits<{ settled: [change: object, label: string] }>()
const shots = useShot()
const notifications = useNotifications()
const file = ref<HTMLInputElement>()
const FORMATS = ['cc', 'ccc', 'cdl']

/** The browser saves it as any other file. */
function exportAs(event: Event) {
  const chosen = event.target as HTMLSelectElement
  window.location.assign(`/api/variants/${shots.variant!.id}/cdl?format=${chosen.value}`)
  chosen.value = ''
}

async function importFile(event: Event) {
  const chosen = (event.target as HTMLInputElement).files?.[0]
  if (!chosen) return
  try {
    emit('settled', await readCdl(chosen), `imported from ${chosen.name}`)
  } catch (error) {
    notifications.show(error)
  }
}
</script>

<template>
  <button type="button" @click="file?.click()">Import…</button>
  <input ref="file" type="file" accept=".cdl,.cc,.ccc" hidden aria-label="CDL file" @change="importFile" />
  <select aria-label="Export CDL" :value="''" @change="exportAs">
    <option value="" disabled>Export…</option>
    <option v-for="format in FORMATS" :key="format" :value="format">.{{ format }}</option>
  </select>
</template>
