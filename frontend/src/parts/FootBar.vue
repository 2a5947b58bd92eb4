<script setup lang="ts">
import { computed } from 'vue'
import { useJobs, wordsOf } from '@/stores/jobs'
import { spoken } from '@/stores/levels'
import { useRoom } from '@/stores/room'
import { useShot } from '@/stores/shot'
import { useTroubles } from '@/stores/troubles'
import PictureTools from '@/viewer/PictureTools.vue'

const shots = useShot()
const room = useRoom()
const jobs = useJobs()
const troubles = useTroubles()
const chain = computed(() => (shots.variant?.chain ?? []).join(' → '))
/** Quality of the shown image: how long the exact one took, or how large previews are. */
const quality = computed(() => {
  if (room.settled) return room.milliseconds === null ? 'Exact' : `Exact, ${room.milliseconds.toFixed(0)} ms`
  if (!shots.draft.length) return 'Rendering exact image…'
  return room.movingShare < 1 ? `Preview, ${room.movingShare * 100}% size` : 'Preview'
})
/** The exact picture on its way, once it takes so long that it is told of. */
const coming = computed(() => {
  const job = room.settled ? undefined : jobs.pictureFor(room.viewer)
  return job?.state === 'running' && job.id > room.pictureBefore ? job : undefined
})
</script>

<template>
  <footer class="foot">
    <span class="colours" aria-label="Colour pipeline" :title="chain">{{ chain }}</span>
    <span v-if="room.tapped">Viewing: {{ spoken(room.tap) }}</span>
    <PictureTools />
    <template v-if="coming">
      <span role="status">{{ wordsOf(coming) }}</span>
      <button type="button" @click="jobs.stop(coming).catch(troubles.tell)">Stop</button>
    </template>
    <template v-else-if="room.stopped">
      <span role="status">Exact image stopped</span>
      <button type="button" @click="room.settleWish = {}">Render exact image</button>
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
.quality {
  min-width: 92px;
  text-align: right;
}
</style>
