<script setup lang="ts">
import Select from 'primevue/select'
import { computed, ref } from 'vue'
import type { PictureLayer } from '@/api/types'
import { useColourOffer } from '@/composables/useColourOffer'
import RulerScale from '@/widgets/RulerScale.vue'
import { readout } from '@/widgets/ruler'
import LayerChoice from './LayerChoice.vue'
import { AFTER_END, ALPHA, FIT, MOVE, SCALE } from './rows'
import { usePlateTool } from './usePlateTool'

/** How a picture, sequence or video is read, and where it lies in the frame; dragged in the image itself. */
const props = defineProps<{ layer: PictureLayer; moves: boolean }>()
const emit = defineEmits<{ moving: [change: object]; settled: [change: object, label: string] }>()
const { offer } = useColourOffer()

const scale = computed(() =>
  Array.isArray(props.layer.scale) ? props.layer.scale[0]! : (props.layer.scale ?? 1),
)
const across = computed(() =>
  Array.isArray(props.layer.scale) ? props.layer.scale : [scale.value, scale.value],
)
const move = computed(() => (props.layer.move ?? [0, 0]) as [number, number])
const spaces = computed(() => ['by file', ...(offer.value?.spaces ?? [])])
const first = ref('')

/** Both sides grow together; a mirrored one stays mirrored. */
const grown = (by: number) => {
  const ratio = by / Math.abs(across.value[0]!)
  const [x, y] = across.value.map((side) => Number((side * ratio).toPrecision(5)))
  return { scale: x === y ? x : [x, y] }
}
const mirrored = computed(() => across.value[0]! < 0)
const mirror = () => {
  emit(
    'settled',
    { scale: [-across.value[0]!, across.value[1]] },
    mirrored.value ? 'not mirrored' : 'mirrored',
  )
}

function chooseFirst() {
  const text = first.value.trim()
  const frame = text === '' ? null : Number(text)
  if (frame !== null && !Number.isInteger(frame)) return
  emit('settled', { first_frame: frame }, `first frame ${frame ?? 'its own'}`)
}

usePlateTool(
  () => props.layer,
  (change) => emit('moving', change),
  (change) => emit('settled', change, 'moved in the image'),
)
</script>

<template>
  <LayerChoice :choice="FIT" :value="layer.fit ?? 'fill'" @chosen="(c, label) => emit('settled', c, label)" />
  <RulerScale
    label="Scale"
    :scale="SCALE"
    :value="Math.abs(scale)"
    @moving="emit('moving', grown($event))"
    @settled="emit('settled', grown($event), `scale ${readout(SCALE, $event)}`)"
  />
  <RulerScale
    label="Position X"
    :scale="MOVE"
    :value="move[0]"
    note="or drag in the image"
    @moving="emit('moving', { move: [$event, move[1]] })"
    @settled="emit('settled', { move: [$event, move[1]] }, 'moved')"
  />
  <RulerScale
    label="Position Y"
    :scale="MOVE"
    :value="move[1]"
    @moving="emit('moving', { move: [move[0], $event] })"
    @settled="emit('settled', { move: [move[0], $event] }, 'moved')"
  />
  <div class="bench-head">
    <button type="button" :aria-pressed="mirrored" @click="mirror">Mirror</button>
    <label v-if="moves" class="first">
      First frame
      <input
        :value="layer.first_frame ?? ''"
        inputmode="numeric"
        placeholder="its own"
        aria-label="First frame"
        @input="first = ($event.target as HTMLInputElement).value"
        @change="chooseFirst"
      />
    </label>
  </div>
  <LayerChoice
    v-if="moves"
    :choice="AFTER_END"
    :value="layer.after_end ?? 'hold'"
    @chosen="(c, label) => emit('settled', c, label)"
  />
  <LayerChoice
    :choice="ALPHA"
    :value="layer.alpha ?? null"
    @chosen="(c, label) => emit('settled', c, label)"
  />
  <div class="space">
    <span>Colour space</span>
    <Select
      aria-label="Colour space"
      :model-value="layer.space ?? 'by file'"
      :options="spaces"
      @update:model-value="
        emit('settled', { space: $event === 'by file' ? null : $event }, `colour space ${$event}`)
      "
    />
  </div>
</template>

<style scoped>
.first {
  display: flex;
  flex: 1;
  gap: 8px;
  align-items: center;
  justify-content: flex-end;
  color: var(--text-2);
}
.first input {
  width: 80px;
  text-align: right;
}
.space {
  display: grid;
  grid-template-columns: 104px minmax(0, 1fr);
  gap: 8px;
  align-items: center;
  color: var(--text-2);
}
</style>
