<script setup lang="ts">
import { computed } from 'vue'
import { NEUTRAL_LEVEL } from '@/api/defaults'
import type { Level, RenderLayer } from '@/api/types'
import { displayName } from '@/format'
import { useShot } from '@/stores/shot'
import RulerScale from '@/widgets/RulerScale.vue'
import { readout, STOPS } from '@/widgets/ruler'

/** The lights of a further render: those of Balance by their names, or parted, with levels of their own. */
const props = defineProps<{ layer: RenderLayer }>()
const emit = defineEmits<{ moving: [change: object]; settled: [change: object, label: string] }>()
const shots = useShot()
const lights = computed(
  () => shots.shot?.renders.find((one) => one.name === props.layer.render)?.lights ?? [],
)
const own = computed(() => (props.layer.lights ?? {}) as Record<string, Level>)

const withLevel = (light: string, stops: number) => ({
  lights: { ...own.value, [light]: { ...NEUTRAL_LEVEL, ...own.value[light], stops } },
})

/** Parted it begins as it is at Balance. */
function part(light: string) {
  const shared = shots.document?.balance?.lights?.[light] ?? {}
  const lights = { ...own.value, [light]: { ...NEUTRAL_LEVEL, ...shared } }
  emit('settled', { lights }, `${light} has its own level`)
}

function share(light: string) {
  const lights = Object.fromEntries(Object.entries(own.value).filter(([name]) => name !== light))
  emit('settled', { lights }, `${light} as at Balance`)
}
</script>

<template>
  <div v-if="lights.length" class="lights" role="group" aria-label="Own levels">
    <span class="quiet">Own levels</span>
    <button
      v-for="light in lights"
      :key="light"
      type="button"
      :aria-pressed="light in own"
      :title="light in own ? 'Share the level of Balance' : 'Give it a level of its own in this layer'"
      @click="light in own ? share(light) : part(light)"
    >
      {{ displayName(light) }}
    </button>
  </div>
  <RulerScale
    v-for="(level, light) in own"
    :key="light"
    :label="displayName(String(light))"
    :scale="STOPS"
    :value="level.stops ?? 0"
    @moving="emit('moving', withLevel(String(light), $event))"
    @settled="emit('settled', withLevel(String(light), $event), `${light} ${readout(STOPS, $event)} stops`)"
  />
</template>

<style scoped>
.lights {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
  align-items: center;
  padding: 4px 0;
}
.lights > span {
  width: 108px;
}
</style>
