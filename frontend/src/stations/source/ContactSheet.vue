<script setup lang="ts">
import { liftText, pluralise } from '@/format'
import { computed, ref } from 'vue'
import { passPicture } from '@/api/client'
import type { RenderPass } from '@/api/types'
import ThumbnailSwitch from '@/widgets/ThumbnailSwitch.vue'
import { liftOf } from '@/document/thumbnailExposure'
import { useWorkspace } from '@/stores/workspace'
import { useShot } from '@/stores/shot'
import { ROLE_WORDS } from '@/document/passReading'
import { shortMeaning } from './meaning'
import { useSourceEdits } from './useSourceEdits'

const shots = useShot()
const workspace = useWorkspace()
const edits = useSourceEdits()
const wanted = ref('')
const role = ref('')
const order = ref<'file' | 'name' | 'role'>('file')
const size = ref(180)
const liftOfTile = (pass: RenderPass) => (workspace.lifted ? liftOf(pass) : 0)
const DRAGGED = 'text/x-pass'

const all = computed(() => shots.variant?.reading.passes ?? [])
const roles = computed(() => {
  const counts = new Map<string, number>()
  for (const p of all.value) counts.set(p.role, (counts.get(p.role) ?? 0) + 1)
  return [...counts].map(([name, count]) => ({ name, count, words: ROLE_WORDS[name] ?? name }))
})
const passes = computed(() => {
  const text = wanted.value.trim().toLowerCase()
  const found = all.value.filter(
    (p) =>
      (!role.value || p.role === role.value) &&
      (!text || `${p.name} ${shortMeaning(p)} ${p.role}`.toLowerCase().includes(text)),
  )
  const key = (p: RenderPass) => (order.value === 'name' ? p.name : `${p.role} ${shortMeaning(p)}`)
  return order.value === 'file' ? found : [...found].sort((a, b) => key(a).localeCompare(key(b)))
})

function choose(event: MouseEvent, name: string) {
  const chosen = workspace.chosenPasses
  const last = passes.value.findIndex((p) => p.name === chosen.at(-1))
  const here = passes.value.findIndex((p) => p.name === name)
  if (event.shiftKey && last >= 0) {
    const names = passes.value.slice(Math.min(last, here), Math.max(last, here) + 1).map((p) => p.name)
    workspace.chosenPasses = [...new Set([...chosen, ...names])]
  } else if (event.ctrlKey || event.metaKey)
    workspace.chosenPasses = chosen.includes(name) ? chosen.filter((n) => n !== name) : [...chosen, name]
  else workspace.chosenPasses = [name]
}

function lift(event: DragEvent, name: string) {
  if (!workspace.chosenPasses.includes(name)) workspace.chosenPasses = [name]
  event.dataTransfer?.setData(DRAGGED, name)
}

function drop(target: string) {
  const moved = all.value.filter((p) => workspace.chosenPasses.includes(p.name))
  if (moved.length) edits.readAs(moved, { role: target as RenderPass['role'] }, ROLE_WORDS[target] ?? target)
}
</script>

<template>
  <section v-if="shots.shot" class="sheet" aria-label="Contact sheet">
    <div class="bar">
      <span>{{ passes.length }} of {{ pluralise(all.length, 'pass') }}</span>
      <ThumbnailSwitch />
      <button type="button" @click="workspace.showLarge(null)">View image</button>
      <label>
        Sort
        <select v-model="order">
          <option value="file">File order</option>
          <option value="name">Name</option>
          <option value="role">Role</option>
        </select>
      </label>
      <button type="button" aria-label="Smaller thumbnails" @click="size = Math.max(84, size - 48)">−</button>
      <button type="button" aria-label="Larger thumbnails" @click="size = Math.min(276, size + 48)">+</button>
      <input
        v-model="wanted"
        type="search"
        placeholder="Find a pass, role or light"
        aria-label="Find a pass"
      />
    </div>
    <div
      class="roles"
      role="group"
      title="Filter by role. Drop passes on a role to assign it"
      aria-label="Roles"
    >
      <button type="button" :aria-pressed="!role" @click="role = ''">All</button>
      <button
        v-for="each in roles"
        :key="each.name"
        type="button"
        :aria-pressed="role === each.name"
        @click="role = role === each.name ? '' : each.name"
        @dragover.prevent
        @drop.prevent="drop(each.name)"
      >
        {{ each.words }} {{ each.count }}
      </button>
    </div>
    <div class="tiles" :style="{ gridTemplateColumns: `repeat(auto-fill, minmax(${size}px, 1fr))` }">
      <button
        v-for="p in passes"
        :key="p.name"
        type="button"
        class="tile"
        draggable="true"
        :aria-pressed="workspace.chosenPasses.includes(p.name)"
        :title="`${p.name}: double-click to view the pass`"
        @click="choose($event, p.name)"
        @dblclick="workspace.showLarge(p.name)"
        @dragstart="lift($event, p.name)"
      >
        <img
          :src="
            passPicture(
              shots.shot.id,
              p.name,
              size > 140 ? 512 : 256,
              workspace.frame,
              shots.pictureKey,
              liftOfTile(p),
            )
          "
          alt=""
          loading="lazy"
        />
        <span class="name">{{ p.name }}</span>
        <span class="quiet"
          >{{ shortMeaning(p) }}<template v-if="liftOfTile(p)"> · {{ liftText(liftOfTile(p)) }}</template
          ><b v-if="p.diagnostics?.length" class="warning">
            · {{ pluralise(p.diagnostics.length, 'warning') }}</b
          ></span
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
  gap: 8px;
  align-items: center;
  padding: 6px 14px 4px;
  white-space: nowrap;
}
.bar > span {
  flex: 1;
}
.bar > button,
.roles button {
  padding: 0 7px;
}
.roles {
  display: flex;
  flex-wrap: wrap;
  gap: 0 2px;
  padding: 0 10px 4px;
}
.roles button {
  border-color: transparent;
  color: var(--text-2);
}
.roles button[aria-pressed='true'] {
  border-color: var(--accent);
  color: var(--accent);
}
.bar input {
  width: 190px;
  padding: 1px 8px;
}
.tiles {
  display: grid;
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
