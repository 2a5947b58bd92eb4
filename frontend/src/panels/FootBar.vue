<script setup lang="ts">
import { displayName, pluralise } from '@/format'
import { computed } from 'vue'
import { useJobs, wordsOf } from '@/stores/jobs'
import { useWorkspace } from '@/stores/workspace'
import { useShot } from '@/stores/shot'
import { useNotes } from '@/stores/notes'
import { useNotifications } from '@/stores/notifications'
import ViewerTools from '@/viewer/ViewerTools.vue'

const shots = useShot()
const notes = useNotes()
const workspace = useWorkspace()
const jobs = useJobs()
const notifications = useNotifications()
const chain = computed(() => (shots.variant?.chain ?? []).join(' → '))
/** Quality of the shown image: how long the exact one took, or how large previews are. */
const quality = computed(() => {
  if (workspace.settled)
    return workspace.milliseconds === null ? 'Exact' : `Exact, ${workspace.milliseconds.toFixed(0)} ms`
  if (!shots.draft.patch.length) return 'Rendering exact image…'
  return workspace.previewShare < 1 ? `Preview, ${workspace.previewShare * 100}% size` : 'Preview'
})
/** The exact picture on its way, once it takes long. */
const coming = computed(() => {
  const job = workspace.settled ? undefined : jobs.pictureFor(workspace.viewer)
  return job?.state === 'running' && job.id > workspace.pictureBefore ? job : undefined
})
</script>

<template>
  <footer class="foot">
    <span class="colours" aria-label="Colour pipeline" :title="chain">{{ chain }}</span>
    <span v-if="workspace.viewsStation">Viewing: {{ displayName(workspace.viewStation) }}</span>
    <button type="button" class="plain" :aria-expanded="notes.isOpen" @click="notes.toggle()">
      {{ notes.open ? `${pluralise(notes.open, 'note')} open` : 'Notes' }}
    </button>
    <ViewerTools />
    <template v-if="coming">
      <span role="status">{{ wordsOf(coming) }}</span>
      <button type="button" @click="jobs.stop(coming).catch(notifications.show)">Stop</button>
    </template>
    <template v-else-if="workspace.stopped">
      <span role="status">Exact image stopped</span>
      <button type="button" @click="workspace.exactRequest = {}">Render exact image</button>
    </template>
    <template v-else>
      <span class="quality">{{ quality }}</span>
    </template>
  </footer>
</template>

<style scoped>
.foot {
  display: flex;
  align-items: center;
  gap: 16px;
  height: 24px;
  padding: 0 14px;
  background: var(--surface-1);
  border-top: 1px solid var(--line);
  color: var(--text-2);
  font-size: 12px;
  white-space: nowrap;
}
/* What stands beside it may grow: no word of it is lost, and the picture keeps its size. */
.colours {
  flex: 1;
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
}
.foot > button {
  padding: 0 8px;
  line-height: 18px;
}
.plain {
  border-color: transparent;
  background: none;
  color: var(--text-1);
}
.quality {
  min-width: 92px;
  text-align: right;
}
</style>
