<script setup lang="ts">
import { computed, ref } from 'vue'
import { passPicture } from '@/api/client'
import { useRoom } from '@/stores/room'
import { useShot } from '@/stores/shot'
import { shortMeaning } from './meaning'

const shots = useShot()
const room = useRoom()
const wanted = ref('')
const passes = computed(() => {
  const text = wanted.value.trim().toLowerCase()
  const all = shots.shot?.render.passes ?? []
  return text ? all.filter((p) => `${p.name} ${shortMeaning(p)} ${p.role}`.toLowerCase().includes(text)) : all
})
</script>

<template>
  <section v-if="shots.shot" class="sheet" aria-label="Contact sheet">
    <div class="bar">
      <span>{{ passes.length }} of {{ shots.shot.render.passes.length }} passes</span>
      <input
        v-model="wanted"
        type="search"
        placeholder="Find a pass, role or light"
        aria-label="Find a pass"
      />
    </div>
    <div class="tiles">
      <button
        v-for="p in passes"
        :key="p.name"
        type="button"
        class="tile"
        :aria-pressed="p.name === room.chosenPass"
        :title="p.name"
        @click="room.chosenPass = p.name"
      >
        <img
          :src="passPicture(shots.shot.id, p.name, 256, room.frame, shots.renderKey)"
          alt=""
          loading="lazy"
        />
        <span class="name">{{ p.name }}</span>
        <span class="quiet"
          >{{ shortMeaning(p) }}<b v-if="p.diagnostics?.length" class="warning"> · look</b></span
        >
      </button>
    </div>
  </section>
</template>

<style scoped>
.sheet {
  display: flex;
  flex-direction: column;
  height: 100%;
}
.bar {
  display: flex;
  gap: 12px;
  align-items: center;
  justify-content: space-between;
  padding: 6px 64px 6px 14px;
}
.bar input {
  width: 240px;
}
.tiles {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(132px, 1fr));
  gap: 6px;
  padding: 0 14px 10px;
  overflow: auto;
}
.tile {
  display: flex;
  flex-direction: column;
  padding: 0 0 2px;
  border: 1px solid transparent;
  background: none;
  text-align: left;
  min-width: 0;
}
.tile[aria-pressed='true'] {
  border-color: var(--accent);
}
.tile img {
  width: 100%;
  aspect-ratio: 16 / 9;
  object-fit: contain;
  background: #000;
}
.tile span {
  padding: 0 3px;
  font-size: 12px;
  line-height: 15px;
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
}
.tile b {
  font-weight: 400;
}
</style>
