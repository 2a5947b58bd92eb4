<script setup lang="ts">
import Select from 'primevue/select'
import { computed, onScopeDispose, ref, shallowRef, watch } from 'vue'
import { api, bodyOf, bringPicture, unwrap } from '@/api/client'
import type { MatchOut, PatchStep, WishIn } from '@/api/types'
import { useColourOffer } from '@/composables/useColourOffer'
import { pointerStep } from '@/document/levels'
import { displayName, stopsText } from '@/format'
import { useNotifications } from '@/stores/notifications'
import { useShot } from '@/stores/shot'
import { useWorkspace, type Pin } from '@/stores/workspace'
import RulerScale from '@/widgets/RulerScale.vue'
import { KELVIN, STOPS } from '@/widgets/ruler'

/** “Make it like this”: levels solved from a reference picture, or from what pinned places shall become. */
const shots = useShot()
const workspace = useWorkspace()
const notifications = useNotifications()
const { offer } = useColourOffer()
const spaces = computed(() => offer.value?.spaces ?? [])
const open = ref(false)
const file = ref<HTMLInputElement>()
const picture = shallowRef<{ picture: string; title: string } | null>(null)
const space = ref<string | null>(null)
const tints = ref(false)
const cells = ref(false)
const locked = computed(() => [...workspace.lockedLights])
const solving = ref(false)
const found = shallowRef<MatchOut | null>(null)
const wishes = ref<Record<string, { stops: number; kelvin: number }>>({})
const lights = computed(() => shots.variant?.reading.lights ?? [])
const hasCells = computed(
  () => shots.variant?.reading.recipes.some((one) => one.recipe.name === 'lights_components') ?? false,
)
const keyOf = (pin: Pin) => `${pin.x},${pin.y}`
const wishOf = (pin: Pin) => wishes.value[keyOf(pin)] ?? { stops: 0, kelvin: KELVIN.neutral }
const isWished = (pin: Pin) => {
  const { stops, kelvin } = wishOf(pin)
  return stops !== 0 || kelvin !== KELVIN.neutral
}
/** A wish of one place holds the others as they are. */
const wished = computed<WishIn[]>(() =>
  workspace.pins.map((pin) => ({ ...pin, size: workspace.probeSize, colour: null, ...wishOf(pin) })),
)
const canSolve = computed(() => Boolean(picture.value) || workspace.pins.some(isWished))

watch(() => [shots.variant?.id, shots.variant?.head], forget)
watch([picture, space, tints, cells, locked, wishes], forget, { deep: true })
onScopeDispose(forget)

function forget() {
  if (found.value) shots.preview([])
  found.value = null
}

function setWish(pin: Pin, change: object) {
  wishes.value = { ...wishes.value, [keyOf(pin)]: { ...wishOf(pin), ...change } }
}

async function choose(event: Event) {
  const input = event.target as HTMLInputElement
  try {
    if (input.files?.[0]) picture.value = await bringPicture(input.files[0])
  } catch (error) {
    notifications.show(error)
  }
  input.value = ''
}

async function solve() {
  solving.value = true
  forget()
  const params = { path: { variant_id: shots.variant!.id } }
  const body = {
    ...bodyOf({ base: shots.variant!.head, patch: [] }),
    frame: workspace.frame,
    picture: picture.value?.picture ?? null,
    space: picture.value ? space.value : null,
    wishes: picture.value ? [] : wished.value,
    locked: locked.value,
    tints: tints.value,
    cells: cells.value && Boolean(picture.value),
  }
  try {
    found.value = await unwrap<MatchOut>(api.POST('/api/variants/{variant_id}/match', { params, body }))
    shots.preview(patchOf(found.value))
  } catch (error) {
    notifications.show(error)
  } finally {
    solving.value = false
  }
}

const patchOf = ({ table, levels }: MatchOut): PatchStep[] =>
  Object.entries(levels).map(([name, value]) => ({
    op: 'add',
    path: `/balance/${table}/${pointerStep(name)}`,
    value,
  }))

function apply() {
  const patch = patchOf(found.value!)
  found.value = null
  void shots.edit(
    patch,
    picture.value ? `Levels matched to ${picture.value.title}` : 'Levels matched to pins',
  )
}

const fit = computed(() => {
  if (!found.value) return ''
  const { before, after } = found.value
  const share = before > 0 ? Math.max(0, 1 - after / before) : 0
  return `Difference (rms) ${before.toPrecision(3)} → ${after.toPrecision(3)}: ${Math.round(100 * share)}% nearer`
})
const changes = computed(() =>
  Object.entries(found.value?.levels ?? {}).map(([name, level]) => ({
    name: displayName(name.replace('/', ', ')),
    stops: level.stops ?? 0,
    tinted: (level.tint ?? [1, 1, 1]).some((one) => Math.abs(one - 1) > 1e-3),
  })),
)
</script>

<template>
  <section class="bench-part" aria-label="Match">
    <div class="bench-head">
      <h2>Match</h2>
      <button type="button" :aria-expanded="open" @click="open = !open">
        {{ open ? 'Hide' : 'To a reference, or to pins…' }}
      </button>
      <slot />
    </div>
    <template v-if="open">
      <div class="bench-head">
        <button type="button" @click="file?.click()">Reference picture…</button>
        <span class="quiet name">{{ picture ? picture.title : 'none' }}</span>
        <button v-if="picture" type="button" @click="picture = null">Remove</button>
        <input ref="file" type="file" hidden aria-label="Reference picture" @change="choose" />
      </div>
      <div v-if="picture" class="bench-head">
        <span class="quiet">Colour space</span>
        <Select
          v-model="space"
          :options="[
            { name: null, words: 'as the file says' },
            ...spaces.map((name) => ({ name, words: name })),
          ]"
          option-label="words"
          option-value="name"
          placeholder="as the file says"
          aria-label="Colour space of the reference"
        />
      </div>
      <template v-else>
        <p v-if="!workspace.pins.length" class="quiet">
          Or click in the image to pin places, and say what each shall become.
        </p>
        <div
          v-for="(pin, index) in workspace.pins"
          :key="keyOf(pin)"
          role="group"
          :aria-label="`Pin ${index + 1}`"
        >
          <RulerScale
            :label="`Pin ${index + 1}`"
            :scale="STOPS"
            :value="wishOf(pin).stops"
            note="stops more"
            @settled="setWish(pin, { stops: $event })"
          />
          <RulerScale
            label="Warmth"
            :scale="KELVIN"
            :value="wishOf(pin).kelvin"
            note="lower is warmer"
            @settled="setWish(pin, { kelvin: $event })"
          />
        </div>
      </template>
      <div class="locks" role="group" aria-label="Locked lights">
        <span class="quiet">Lock</span>
        <button
          v-for="light in lights"
          :key="light"
          type="button"
          :aria-pressed="locked.includes(light)"
          @click="workspace.lock(light)"
        >
          {{ displayName(light) }}
        </button>
      </div>
      <div class="bench-head">
        <label><input v-model="tints" type="checkbox" /> Tints, too</label>
        <label v-if="hasCells && picture"><input v-model="cells" type="checkbox" /> Light × component</label>
        <button type="button" :disabled="!canSolve || solving" @click="solve">
          {{ solving ? 'Solving…' : 'Solve' }}
        </button>
      </div>
      <div v-if="found" class="found" role="status">
        <p>{{ fit }}</p>
        <p v-if="!changes.length" class="quiet">No level changes.</p>
        <ul>
          <li v-for="one in changes" :key="one.name">
            {{ one.name }} <b>{{ stopsText(one.stops) }} stops{{ one.tinted ? ', tinted' : '' }}</b>
          </li>
        </ul>
        <button type="button" :disabled="!changes.length" @click="apply">Apply</button>
        <button type="button" @click="forget">Discard</button>
      </div>
    </template>
  </section>
</template>

<style scoped>
.name {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.locks {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
  align-items: center;
  padding: 4px 0;
}
.found ul {
  columns: 2;
  margin: 4px 0;
  padding: 0;
  list-style: none;
}
.found p {
  margin: 4px 0;
}
.found button {
  margin-right: 8px;
}
.found b {
  color: var(--accent);
  font-weight: 400;
}
</style>
