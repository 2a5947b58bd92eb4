<script setup lang="ts">
import { computed, onScopeDispose, ref, watch } from 'vue'
import { upload } from '@/api/client'
import type { Label } from '@/api/types'
import RulerScale from '@/widgets/RulerScale.vue'
import { factorScale, readout, TURN } from '@/widgets/ruler'
import { useNearbyImages } from '@/composables/useNearbyImages'
import { useNotifications } from '@/stores/notifications'
import { useLabelTool, type Doing } from './useLabelTool'

/** Pictures laid on a surface, one of them at a time; placed on the surface itself. */
const props = defineProps<{ change: Label }>()
const emit = defineEmits<{ moving: [change: object]; settled: [change: object, label: string] }>()

const notifications = useNotifications()
const file = ref<HTMLInputElement>()
const doing = ref<Doing | null>(null)
const pictures = computed(() => props.change.pictures)
const chosen = computed(() => props.change.chosen ?? 0)
const scale = computed(() => (props.change.scale ?? [1, 1]) as [number, number])
const move = computed(() => (props.change.move ?? [0, 0]) as [number, number])
const SIZE = { ...factorScale(16, 1), min: 0.01 }
const PLACE = { ...factorScale(4, 0), min: -4, step: 0.02, digits: 3, signed: true }
const HANDS: { doing: Doing; words: string }[] = [
  { doing: 'move', words: 'Move' },
  { doing: 'turn', words: 'Rotate' },
  { doing: 'scale', words: 'Scale' },
]
const OUTSIDE = ['clip', 'repeat', 'mirror']
const nameOf = (path: string) => path.split('/').at(-1)!

const tool = useLabelTool(() => props.change, {
  moving: (change) => emit('moving', change),
  settled: (change, label) => emit('settled', change, label),
})
let letGo = () => {}
watch(doing, (next) => {
  letGo()
  letGo = next ? tool.take(next) : () => {}
})
onScopeDispose(() => letGo())

async function bring(event: Event) {
  const files = [...((event.target as HTMLInputElement).files ?? [])]
  try {
    const paths: string[] = []
    for (const one of files) paths.push(await upload(one, `label-${Date.now()}`))
    take(paths)
  } catch (error) {
    notifications.show(error)
  }
}

function take(paths: string[]) {
  const next = [...pictures.value, ...paths]
  emit('settled', { pictures: next, chosen: next.length - 1 }, nameOf(paths.at(-1) ?? ''))
}

/** Pictures beside the shot's files that are not taken yet. */
const offered = useNearbyImages()
const beside = computed(() => offered.value.filter((one) => !pictures.value.includes(one.path)))

/** Wider or narrower, as high as it is. */
function stretch(ratio: number) {
  return { scale: [Number((scale.value[1] * ratio).toPrecision(5)), scale.value[1]] }
}

function grow(by: number) {
  const times = by / scale.value[0]
  return { scale: [by, Number((scale.value[1] * times).toPrecision(5))] }
}
</script>

<template>
  <div class="pictures" role="group" aria-label="Label images">
    <button
      v-for="(path, index) in pictures"
      :key="path"
      type="button"
      :aria-pressed="index === chosen"
      :title="path"
      @click="emit('settled', { chosen: index }, nameOf(path))"
    >
      {{ nameOf(path) }}
    </button>
    <button
      v-for="one in beside"
      :key="one.path"
      type="button"
      class="offered"
      :title="`Add ${one.path}`"
      @click="take([one.path])"
    >
      + {{ one.name }}
    </button>
    <button type="button" @click="file?.click()">Choose file…</button>
    <input ref="file" type="file" accept=".png,.tif,.tiff,.exr" multiple hidden @change="bring" />
  </div>
  <template v-if="pictures.length">
    <div class="pictures" role="group" aria-label="Place in the image">
      <button
        v-for="one in HANDS"
        :key="one.doing"
        type="button"
        :aria-pressed="doing === one.doing"
        @click="doing = doing === one.doing ? null : one.doing"
      >
        {{ one.words }}
      </button>
      <select
        :value="change.outside ?? 'clip'"
        aria-label="Outside"
        @change="
          emit(
            'settled',
            { outside: ($event.target as HTMLSelectElement).value },
            `outside ${($event.target as HTMLSelectElement).value}`,
          )
        "
      >
        <option v-for="one in OUTSIDE" :key="one" :value="one">Outside: {{ one }}</option>
      </select>
    </div>
    <RulerScale
      label="Size"
      :scale="SIZE"
      :value="scale[0]"
      @moving="emit('moving', grow($event))"
      @settled="emit('settled', grow($event), `size ${readout(SIZE, $event)}`)"
    />
    <RulerScale
      label="Aspect ratio"
      :scale="SIZE"
      :value="scale[0] / scale[1]"
      @moving="emit('moving', stretch($event))"
      @settled="emit('settled', stretch($event), `aspect ratio ${readout(SIZE, $event)}`)"
    />
    <RulerScale
      label="Rotation"
      :scale="TURN"
      :value="change.turn ?? 0"
      @moving="emit('moving', { turn: $event })"
      @settled="emit('settled', { turn: $event }, `rotation ${readout(TURN, $event)}°`)"
    />
    <RulerScale
      label="Offset U"
      :scale="PLACE"
      :value="move[0]"
      @moving="emit('moving', { move: [$event, move[1]] })"
      @settled="emit('settled', { move: [$event, move[1]] }, 'moved')"
    />
    <RulerScale
      label="Offset V"
      :scale="PLACE"
      :value="move[1]"
      @moving="emit('moving', { move: [move[0], $event] })"
      @settled="emit('settled', { move: [move[0], $event] }, 'moved')"
    />
  </template>
</template>

<style scoped>
.pictures {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
}
.offered {
  border-style: dashed;
}
.pictures button {
  max-width: 160px;
  overflow: hidden;
  text-overflow: ellipsis;
}
select {
  padding: 1px 6px;
  border: 1px solid var(--line);
  background: var(--well);
  color: inherit;
  font: inherit;
}
</style>
