<script setup lang="ts">
import Select from 'primevue/select'
import { computed, ref } from 'vue'
import { NEUTRAL_LEVEL } from '@/api/defaults'
import type { LayerFacts, Level, PassReading as Reading, RenderLayer } from '@/api/types'
import { readingOf, ROLE_WORDS } from '@/document/passReading'
import { displayName } from '@/format'
import { useShot } from '@/stores/shot'
import PassReading from '@/widgets/PassReading.vue'
import RulerScale from '@/widgets/RulerScale.vue'
import { readout, STOPS } from '@/widgets/ruler'

/** A further render: the levels of its lights, those of Balance or its own, and how its passes are read. */
const props = defineProps<{ layer: RenderLayer; facts: LayerFacts }>()
const emit = defineEmits<{ moving: [change: object]; settled: [change: object, label: string] }>()
const shots = useShot()
const lights = computed(() => [
  ...new Set(props.facts.passes.flatMap((one) => (one.light ? [one.light] : []))),
])
const own = computed(() => (props.layer.lights ?? {}) as Record<string, Level>)

const passName = ref('')
const passes = computed(() =>
  props.facts.passes.map((pass) => ({
    ...pass,
    words: `${pass.name || 'beauty'} · ${ROLE_WORDS[pass.role]}`,
  })),
)
const pass = computed(() => passes.value.find((one) => one.name === passName.value) ?? passes.value[0])
const roles = computed(() => (props.layer.source?.roles ?? {}) as Record<string, Reading>)

function setRoles(next: Record<string, Reading>, what: string) {
  emit('settled', { source: { ...props.layer.source, roles: next } }, `${pass.value!.name}: ${what}`)
}

const readAs = (change: Partial<Reading>, what: string) =>
  setRoles(
    {
      ...roles.value,
      [pass.value!.name]: readingOf(pass.value!, roles.value[pass.value!.name], change),
    },
    what,
  )

const asDetected = () =>
  setRoles(
    Object.fromEntries(Object.entries(roles.value).filter(([name]) => name !== pass.value!.name)),
    'role reset to detected',
  )

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
  <template v-if="pass">
    <div class="lights passes">
      <span class="quiet">Passes</span>
      <Select
        class="pass"
        :model-value="pass.name"
        :options="passes"
        option-label="words"
        option-value="name"
        aria-label="Pass of the further render"
        @update:model-value="passName = $event"
      />
      <span class="quiet proof" title="Whether their sum matches its beauty">{{ facts.proof }}</span>
    </div>
    <PassReading :passes="[pass]" :by-hand="pass.name in roles" @read="readAs" @reset="asDetected" />
  </template>
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
.lights > .pass {
  flex: 1;
  min-width: 0;
}
.lights > .proof {
  width: auto;
}
.passes {
  flex-wrap: nowrap;
}
</style>
