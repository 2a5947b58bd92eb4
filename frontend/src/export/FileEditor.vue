<script setup lang="ts">
import Select from 'primevue/select'
import { computed } from 'vue'
import type { ColourOffer, DeliveryFile } from '@/api/types'
import { WHAT_WORDS, isVideo } from './fileWords'

/** The fields of a file of a delivery; those that its format does not have are not shown. */
const props = defineProps<{ offer: ColourOffer | null; inputSpace: string }>()
const file = defineModel<DeliveryFile>({ required: true })

const WHATS = Object.entries(WHAT_WORDS).map(([value, label]) => ({
  value,
  label: label.replace(/^(The|A) /, ''),
}))
const FORMATS = [
  { value: 'exr', label: 'EXR' },
  { value: 'png', label: 'PNG' },
  { value: 'tiff', label: 'TIFF' },
  { value: 'jpeg', label: 'JPEG' },
  { value: 'mkv', label: 'Video, FFV1 lossless (.mkv)' },
  { value: 'webm', label: 'Video, VP9 (.webm)' },
  { value: 'mp4', label: 'Video, AV1 (.mp4)' },
]
const EXR_COMPRESSIONS = ['zip', 'zips', 'piz', 'rle', 'none', 'pxr24', 'b44', 'b44a', 'dwaa', 'dwab']
const SIZES = [
  { value: 1, label: 'Full size' },
  { value: 0.5, label: 'Half size' },
  { value: 0.25, label: 'Quarter size' },
]
const EMPTY = { pixel_type: null, bits: null, compression: null, quality: null, alpha: false } as const

const depths = computed(() => {
  const format = file.value.format
  if (format === 'exr') return [{ value: 'half' }, { value: 'float' }].map((d) => ({ ...d, label: d.value }))
  if (format === 'jpeg') return []
  const bits = (isVideo(file.value) ? (format === 'webm' ? [8] : [8, 10]) : [8, 16]).map((value) => ({
    value: value as string | number,
    label: `${value} bits`,
  }))
  return format === 'tiff'
    ? [...bits, { value: 'half', label: 'half' }, { value: 'float', label: 'float' }]
    : bits
})
const depth = computed({
  get: () =>
    file.value.pixel_type ??
    file.value.bits ??
    (file.value.format === 'exr' ? 'half' : depths.value[0]?.value),
  set: (value) =>
    set(
      typeof value === 'number'
        ? { bits: value as 8 | 10 | 16, pixel_type: null }
        : { pixel_type: value as 'half' | 'float', bits: null },
    ),
})
const AS_SHOWN = 'shown'
const colours = computed(() => [
  { label: 'Display-referred, view of the variant', value: AS_SHOWN },
  ...(props.offer?.scene_spaces ?? []).map((name) => ({ label: name, value: `space:${name}` })),
  ...Object.entries(props.offer?.views ?? {}).flatMap(([display, views]) =>
    views.map((view) => ({ label: `${display}, ${view}`, value: `view:${display}\n${view}` })),
  ),
])
const colour = computed({
  get: () => {
    if (file.value.space) return `space:${file.value.space}`
    if (file.value.display) return `view:${file.value.display}\n${file.value.view ?? ''}`
    return file.value.format === 'exr' ? `space:${props.inputSpace}` : AS_SHOWN
  },
  set: (value: string) => {
    const none = { space: null, display: null, view: null }
    if (value.startsWith('space:')) {
      const space = value.slice(6)
      set({ ...none, space: file.value.format === 'exr' && space === props.inputSpace ? null : space })
    } else if (value.startsWith('view:')) {
      const [display, view] = value.slice(5).split('\n')
      set({ ...none, display, view: view || null })
    } else set(none)
  },
})

function set(change: Partial<DeliveryFile>) {
  file.value = { ...file.value, ...change }
}

function setFormat(format: DeliveryFile['format']) {
  set({
    ...EMPTY,
    format,
    display: null,
    view: null,
    space: format === 'exr' ? file.value.space : null,
    names: null,
  })
}
</script>

<template>
  <div class="fields">
    <span class="name">What</span>
    <Select
      aria-label="What"
      :model-value="file.what"
      :options="WHATS"
      option-label="label"
      option-value="value"
      @update:model-value="set({ what: $event, only: [], names: null })"
    />
    <span class="name">Format</span>
    <Select
      aria-label="Format"
      :model-value="file.format"
      :options="FORMATS"
      option-label="label"
      option-value="value"
      @update:model-value="setFormat($event)"
    />
    <template v-if="depths.length && file.what !== 'mattes'">
      <span class="name">Pixels</span>
      <Select
        v-model="depth"
        aria-label="Pixels"
        :options="depths"
        option-label="label"
        option-value="value"
      />
    </template>
    <template v-if="file.format === 'exr'">
      <span class="name">Compression</span>
      <Select
        aria-label="Compression"
        :model-value="file.compression ?? 'zip'"
        :options="EXR_COMPRESSIONS"
        @update:model-value="set({ compression: $event })"
      />
    </template>
    <template v-if="['jpeg', 'mp4', 'webm'].includes(file.format)">
      <label for="quality">Quality, 1 to 100</label>
      <input
        id="quality"
        type="number"
        min="1"
        max="100"
        :value="file.quality ?? (file.format === 'jpeg' ? 95 : 80)"
        @change="set({ quality: Number(($event.target as HTMLInputElement).value) || null })"
      />
    </template>
    <template v-if="file.what !== 'mattes'">
      <span class="name">Colour</span>
      <Select
        v-model="colour"
        aria-label="Colour"
        :options="colours"
        option-label="label"
        option-value="value"
        filter
      />
    </template>
    <span class="name">Size</span>
    <Select
      aria-label="Size"
      :model-value="typeof file.size === 'number' ? file.size : 1"
      :options="SIZES"
      option-label="label"
      option-value="value"
      @update:model-value="set({ size: $event === 1 ? null : $event })"
    />
    <label v-if="['png', 'tiff'].includes(file.format)" class="wide">
      <input type="checkbox" :checked="file.alpha" @change="set({ alpha: !file.alpha })" />
      With alpha, unassociated
    </label>
    <label for="names">File names</label>
    <input
      id="names"
      :value="file.names ?? ''"
      placeholder="{shot}_{variant}.{frame}"
      spellcheck="false"
      title="Words: {shot} {variant} {what} {name} {frame} {date} {revision}"
      @change="set({ names: ($event.target as HTMLInputElement).value.trim() || null })"
    />
  </div>
</template>

<style scoped>
.fields {
  display: grid;
  grid-template-columns: 116px 1fr;
  gap: 6px 8px;
  align-items: center;
}
label,
.name {
  color: var(--text-2);
  font-size: 12px;
}
.wide {
  grid-column: 1 / 3;
}
input {
  min-width: 0;
}
</style>
