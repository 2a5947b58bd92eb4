<script setup lang="ts">
import { computed, onMounted, ref, shallowRef } from 'vue'
import { api, unwrap, upload } from '@/api/client'
import type { ClipEntry } from '@/api/types'
import { useNotifications } from '@/stores/notifications'
import { useShot } from '@/stores/shot'
import FurtherRender from './FurtherRender.vue'
import { usePlate } from './usePlate'

/** What can become a layer: files beside the shot, passes of the render, further renders, colours. */
const emit = defineEmits<{ done: [] }>()
const shots = useShot()
const plate = usePlate()
const notifications = useNotifications()
const clips = shallowRef<ClipEntry[]>([])
const file = ref<HTMLInputElement>()
const passes = computed(() => shots.variant?.reading.passes ?? [])
const shadows = computed(() =>
  passes.value.filter((one) => one.role === 'shadow' || one.role === 'occlusion'),
)
const reflections = computed(() => passes.value.filter((one) => one.component === 'specular' && !one.light))

onMounted(async () => {
  if (!shots.shot) return
  const params = { path: { shot_id: shots.shot.id } }
  const request = api.GET('/api/shots/{shot_id}/clips', { params })
  clips.value = (await unwrap<{ clips: ClipEntry[] }>(request).catch(() => ({ clips: [] }))).clips
})

function add(layer: object, label: string, where: 'behind' | 'before' = 'behind') {
  plate.add({ corrections: [], ...layer }, label, where)
  emit('done')
}

const picture = (path: string) =>
  add({ kind: 'picture', path, move: [0, 0] }, `Layer ${path.split('/').at(-1)} added`)
const gradient = () => {
  const { width = 1, height = 1 } = shots.shot?.render.display ?? {}
  const ends = { from: [width / 2, 0], to: [width / 2, height] }
  const colours = [[0.1, 0.16, 0.3], [0.7, 0.45, 0.3]] // prettier-ignore
  add({ kind: 'solid', colour: [0.18, 0.18, 0.18], gradient: { ...ends, colours } }, 'Gradient added')
}

async function bring(event: Event) {
  for (const one of (event.target as HTMLInputElement).files ?? []) {
    try {
      picture(await upload(one, `layer-${Date.now()}`))
    } catch (error) {
      notifications.show(error)
    }
  }
}
</script>

<template>
  <div class="offers" role="group" aria-label="Add a layer">
    <div class="group">
      <span class="quiet">Image, sequence or video</span>
      <button
        v-for="clip in clips"
        :key="clip.path"
        type="button"
        :title="clip.path"
        @click="picture(clip.path)"
      >
        {{ clip.name }}
      </button>
      <button type="button" @click="file?.click()">Choose file…</button>
      <input
        ref="file"
        type="file"
        accept=".exr,.png,.tif,.tiff,.jpg,.jpeg,.mp4,.mov,.mkv,.webm,.avi"
        hidden
        @change="bring"
      />
    </div>
    <div class="group">
      <span class="quiet">Colour</span>
      <button type="button" @click="add({ kind: 'solid', colour: [0.18, 0.18, 0.18] }, 'Solid added')">
        Solid
      </button>
      <button type="button" @click="gradient">Gradient</button>
    </div>
    <div v-if="shadows.length || reflections.length" class="group">
      <span class="quiet">From the render</span>
      <button
        v-for="one in shadows"
        :key="one.name"
        type="button"
        @click="add({ kind: 'shadow', pass: one.name, colour: [0, 0, 0] }, `Shadow ${one.name} added`)"
      >
        Shadow: {{ one.name }}
      </button>
      <button
        v-for="one in reflections"
        :key="one.name"
        type="button"
        @click="add({ kind: 'reflection', pass: one.name }, `Reflection ${one.name} added`)"
      >
        Reflection: {{ one.name }}
      </button>
    </div>
    <FurtherRender
      @chosen="
        (name) =>
          add(
            { kind: 'render', render: name, operator: 'depth', edges: { grow_px: 0, soften_px: 0 } },
            `Render ${name} added`,
            'before',
          )
      "
    />
  </div>
</template>

<style scoped>
.offers {
  display: grid;
  gap: 6px;
  align-content: start;
  padding: 8px 14px;
  overflow-y: auto;
}
.group {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
  align-items: center;
}
.group > span {
  min-width: 170px;
}
</style>
