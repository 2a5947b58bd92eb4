<script setup lang="ts">
import { displayName, stopsText } from '@/format'
import { computed, ref, watchEffect } from 'vue'
import { NEUTRAL_LEVEL } from '@/api/defaults'
import { api, bodyOf, unwrap } from '@/api/client'
import type { Level } from '@/api/types'
import RulerScale from '@/widgets/RulerScale.vue'
import { DEGREES, DUV, KELVIN, readout, SHARE, STOPS } from '@/widgets/ruler'
import { tintOf, tintParts } from '@/widgets/tint'
import { levelOf, levelPatch, isNeutral, pointerStep } from '@/document/levels'
import { useWorkspace } from '@/stores/workspace'
import { useNotifications } from '@/stores/notifications'
import { useShot } from '@/stores/shot'
import { useLightTool } from './useLightTool'
import AddedPart from './AddedPart.vue'
import MatchPart from './MatchPart.vue'
import PresetPart from './PresetPart.vue'
import CorrectionList from '@/corrections/CorrectionList.vue'
import MatteButton from '@/mattes/MatteButton.vue'
import type { MatteTarget } from '@/stores/mattes'

const shots = useShot()
const workspace = useWorkspace()
const notifications = useNotifications()
useLightTool()

watchEffect(() => {
  const { lights = [], components = [] } = shots.variant?.reading ?? {}
  const first = lights[0] ?? components[0]
  if (!workspace.chosen && first) workspace.choose(lights.length ? 'lights' : 'components', first)
})

const level = computed<Level>(() =>
  workspace.chosen && shots.document
    ? levelOf(shots.document, workspace.chosen.axis, workspace.chosen.name)
    : NEUTRAL_LEVEL,
)
const title = computed(() => displayName(workspace.chosen?.name.replace('/', ', ') ?? ''))
/** Where a number of the chosen level stands in the document. */
const pointerTo = (field: string) => {
  const { axis, name } = workspace.chosen!
  return axis === 'residual' ? `balance/residual/${field}` : `balance/${axis}/${pointerStep(name)}/${field}`
}
const tint = computed(() => tintParts(level.value.tint))
const approximate = computed(() => {
  const recipes = shots.variant?.reading.recipes.map((found) => found.recipe.name) ?? []
  const { lights = {}, components = {} } = shots.document?.balance ?? {}
  const both = [lights, components].every((table) =>
    Object.values(table ?? {}).some((l) => !isNeutral(l as Level)),
  )
  return both && !recipes.includes('lights_components')
})

/** What corrections of the chosen head or cell act on. */
const of = computed(() => {
  const { axis = 'lights', name = '' } = workspace.chosen ?? {}
  const [light, component] = axis === 'cells' ? name.split('/') : axis === 'lights' ? [name] : [null, name]
  return { light: light ?? null, component: component ?? null }
})
const matteTarget = computed<MatteTarget>(() => ({
  key: `level ${workspace.chosen?.axis} ${workspace.chosen?.name}`,
  words: title.value.toLowerCase(),
  matte: () => level.value.matte ?? null,
  patch: (matte) => patchOf({ matte }),
}))

function patchOf(change: Partial<Level>) {
  return levelPatch(workspace.chosen!.axis, workspace.chosen!.name, { ...level.value, ...change })
}

const isLight = computed(
  () => workspace.chosen?.axis === 'lights' && shots.variant?.reading.lights.includes(workspace.chosen.name),
)
const naming = ref(false)
const showsPresets = ref(false)
function showAs(name: string) {
  if (!naming.value) return
  naming.value = false
  const before = shots.shot?.light_names[workspace.chosen!.name] ?? ''
  if (name.trim() !== before)
    shots.nameLight(workspace.chosen!.name, name).catch((error) => notifications.show(error))
}
const canPick = computed(() => ['lights', 'components'].includes(workspace.chosen?.axis ?? ''))
const dot = computed(() => {
  const [r, g, b] = level.value.tint
  const top = Math.max(r, g, b, 1e-6)
  return `#${[r, g, b]
    .map((one) =>
      Math.round(255 * (one / top) ** (1 / 2.2))
        .toString(16)
        .padStart(2, '0'),
    )
    .join('')}`
})

/** What is picked is what the light becomes: the server knows its own colour. */
async function pickTint(event: Event) {
  const hex = (event.target as HTMLInputElement).value
  const colour = [1, 3, 5].map((at) => parseInt(hex.slice(at, at + 2), 16) / 255) as [number, number, number]
  const { axis, name } = workspace.chosen!
  const params = { path: { variant_id: shots.variant!.id } }
  const body = {
    ...bodyOf(shots.draft),
    frame: workspace.frame,
    axis: axis as 'lights' | 'components',
    name,
    colour,
  }
  try {
    const { tint } = await unwrap<{ tint: [number, number, number] }>(
      api.POST('/api/variants/{variant_id}/tint', { params, body }),
    )
    keep({ tint }, 'tint')
  } catch (error) {
    notifications.show(error)
  }
}

function show(change: Partial<Level>) {
  if (workspace.chosen) shots.preview(patchOf(change))
}

function keep(change: Partial<Level>, what: string) {
  if (workspace.chosen) void shots.edit(patchOf(change), `${title.value}: ${what}`)
}
</script>

<template>
  <section v-if="workspace.chosen" class="bench-part" :aria-label="title">
    <div class="bench-head">
      <input
        v-if="naming"
        :value="shots.shot?.light_names[workspace.chosen.name] ?? ''"
        :placeholder="workspace.chosen.name"
        class="show-as"
        maxlength="120"
        aria-label="Show light as"
        autofocus
        @blur="showAs(($event.target as HTMLInputElement).value)"
        @keydown.enter="($event.target as HTMLInputElement).blur()"
        @keydown.escape="naming = false"
      />
      <h2 v-else>
        {{ title }}
        <button
          v-if="isLight"
          type="button"
          class="name"
          :aria-label="`Show ${title} under another name`"
          title="Show under another name"
          @click="naming = true"
        >
          ✎
        </button>
      </h2>
      <button
        type="button"
        :aria-pressed="level.solo"
        @click="keep({ solo: !level.solo }, `solo ${level.solo ? 'off' : 'on'}`)"
      >
        Solo
      </button>
      <button
        type="button"
        :aria-pressed="level.mute"
        @click="keep({ mute: !level.mute }, `mute ${level.mute ? 'off' : 'on'}`)"
      >
        Mute
      </button>
      <button
        v-if="workspace.chosen.axis === 'lights'"
        type="button"
        :aria-pressed="workspace.lockedLights.includes(workspace.chosen.name)"
        title="Locked: not dragged, nor solved"
        @click="workspace.lock(workspace.chosen.name)"
      >
        Lock
      </button>
      <button type="button" :disabled="isNeutral(level)" @click="keep({ ...NEUTRAL_LEVEL }, 'reset')">
        Reset
      </button>
    </div>
    <RulerScale
      label="Level"
      :scale="STOPS"
      :pointer="pointerTo('stops')"
      :value="level.stops"
      @moving="show({ stops: $event })"
      @settled="keep({ stops: $event }, `level ${stopsText($event)} stops`)"
    />
    <RulerScale
      label="Temperature"
      :scale="KELVIN"
      :pointer="pointerTo('kelvin')"
      :value="level.kelvin"
      note="lower is warmer"
      @moving="show({ kelvin: $event })"
      @settled="keep({ kelvin: $event }, `temperature ${$event} K`)"
    />
    <RulerScale
      label="Green–magenta"
      :scale="DUV"
      :pointer="pointerTo('duv')"
      :value="level.duv"
      @moving="show({ duv: $event })"
      @settled="keep({ duv: $event }, `${readout(DUV, $event)} Duv`)"
    />
    <RulerScale
      label="Tint amount"
      :scale="SHARE"
      :value="tint.amount"
      @moving="show({ tint: tintOf(tint.hue, $event) })"
      @settled="keep({ tint: tintOf(tint.hue, $event) }, 'tint')"
    />
    <RulerScale
      v-if="tint.amount > 0"
      label="Tint hue"
      :scale="DEGREES"
      :value="tint.hue"
      @moving="show({ tint: tintOf($event, tint.amount) })"
      @settled="keep({ tint: tintOf($event, tint.amount) }, 'tint')"
    />
    <div class="bench-head">
      <label v-if="canPick" class="quiet pick" title="The colour that the light becomes">
        Pick colour
        <input type="color" :value="dot" aria-label="Colour of the light" @change="pickTint" />
      </label>
      <MatteButton :what="matteTarget" />
    </div>
    <p v-if="approximate" class="warning" role="status">
      Approximate: without light × component passes, combined changes are applied by ratio.
    </p>
  </section>
  <template v-if="workspace.station === 'balance'">
    <AddedPart />
    <MatchPart>
      <button type="button" :aria-expanded="showsPresets" @click="showsPresets = !showsPresets">
        Presets…
      </button>
    </MatchPart>
    <PresetPart v-if="showsPresets" />
  </template>
  <CorrectionList
    v-if="workspace.chosen && workspace.chosen.axis !== 'residual'"
    :key="`${workspace.chosen.axis} ${workspace.chosen.name}`"
    place="/balance/corrections"
    :of="of"
  />
</template>

<style scoped>
/* Its own width would make the whole column wider. */
.show-as {
  flex: 1;
  width: 0;
}
.name {
  padding: 0 4px;
  border: 0;
  background: none;
  color: var(--text-3);
}
.pick {
  display: flex;
  gap: 8px;
  align-items: center;
}
.pick input {
  width: 34px;
  height: 22px;
  padding: 1px;
}
</style>
