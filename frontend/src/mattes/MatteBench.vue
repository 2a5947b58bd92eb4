<script setup lang="ts">
import { pluralise } from '@/format'
import { computed, ref, watch } from 'vue'
import RulerScale from '@/widgets/RulerScale.vue'
import { readout } from '@/widgets/ruler'
import { useWorkspace } from '@/stores/workspace'
import { useMattes, type Seen } from '@/stores/mattes'
import { useShot } from '@/stores/shot'
import { renamedMatte, withoutMatte } from './documents'
import { COMMON, matteWords, rowsOf, type MatteRow } from './kinds'
import MatteNames from './MatteNames.vue'
import MattePass from './MattePass.vue'
import { pointsAt, type Shape } from './drawing'
import { useMatteTool } from './useMatteTool'
import { useMatteFacts } from './useMatteFacts'

/** The chosen matte: how it is looked at, what it is made of, how it is shaped; beside it what makes another one. */
const mattes = useMattes()
const shots = useShot()
const workspace = useWorkspace()
const { shelf: facts } = useMatteFacts()
const { number } = useMatteTool()
const typedName = ref('')
const dropping = ref(false)
const SEEN: { seen: Seen; words: string }[] = [
  { seen: 'outline', words: 'Outline' },
  { seen: 'hatched', words: 'Hatched' },
  { seen: 'alone', words: 'Matte only' },
]
const fact = computed(() => facts.value?.mattes.find((one) => one.name === mattes.chosen))
const rows = computed(() => (mattes.matte ? [...rowsOf(mattes.matte), ...COMMON] : []))
const hasFrames = computed(() => Object.keys(shots.shot?.render.frames ?? {}).length > 1)
const keyed = computed(() => mattes.matte?.kind === 'shape' && Boolean(mattes.matte.keys))
/** What is done to it, in words, while the rulers are folded. */
const shaped = computed(() => {
  const { grow_px: grown = 0, soften_px: soft = 0, gain = 1 } = mattes.matte ?? {}
  const px = (value: number) => `${Math.abs(value).toFixed(1)} px`
  return [
    grown > 0 ? `grow ${px(grown)}` : grown < 0 ? `shrink ${px(grown)}` : '',
    soft > 0 ? `blur ${px(soft)}` : '',
    gain !== 1 ? `gain ${gain.toFixed(2)}` : '',
  ]
    .filter(Boolean)
    .join(', ')
})
const users = computed(() => [...(fact.value?.uses ?? []), ...(fact.value?.joined_in ?? [])])

watch(
  () => mattes.chosen,
  (name) => {
    typedName.value = name ?? ''
    dropping.value = false
  },
  { immediate: true },
)

function valueOf(row: MatteRow): number {
  const value = (mattes.matte as unknown as Record<string, unknown>)[row.field]
  return Number(value ?? NEUTRAL[row.field] ?? 0) / (row.factor ?? 1)
}
const NEUTRAL: Record<string, number> = { gain: 1, angle: 45, soft: 0, high: 1, least_saturation: 0.1 }

function fieldsOf(row: MatteRow, value: number): object {
  return { [row.field]: value * (row.factor ?? 1) }
}

function settle(row: MatteRow, value: number) {
  mattes.change(fieldsOf(row, value), `${row.label.toLowerCase()} ${readout(row.scale(value), value)}`)
}

function rename() {
  const [from, to] = [mattes.chosen!, typedName.value.trim()]
  if (!to || to === from || to in mattes.mattes) return void (typedName.value = from)
  const patch = renamedMatte(mattes.mattes, facts.value?.mattes ?? [], from, to)
  mattes.choose(null)
  void shots.edit(patch, `Matte ${from}: renamed ${to}`).then(() => mattes.choose(to))
}

function drop() {
  const name = mattes.chosen!
  if (users.value.length && !dropping.value) return void (dropping.value = true)
  const patch = withoutMatte(mattes.mattes, facts.value?.mattes ?? [], name)
  mattes.choose(null)
  void shots.edit(patch, `Matte ${name} removed`)
}

/** A drawn outline moves over frames: it has points for each of some of them. */
function toggleKeys() {
  const shape = mattes.matte as Shape
  const points = pointsAt(shape, number.value)
  const next = keyed.value
    ? { points, keys: null }
    : { points: null, keys: { [String(number.value)]: points } }
  mattes.change(next, keyed.value ? 'animate off' : 'animate on')
}
</script>

<template>
  <section v-if="mattes.matte && mattes.chosen" class="bench-part" aria-label="Selected matte">
    <div class="bench-head">
      <input v-model="typedName" aria-label="Matte name" maxlength="120" @change="rename" />
      <button type="button" @click="drop">Remove</button>
    </div>
    <p v-if="dropping" class="warning" role="alert">
      {{ pluralise(users.length, 'use') }}: {{ users.join(', ') }}.
      <button type="button" @click="drop">Remove anyway</button>
      <button type="button" @click="dropping = false">Cancel</button>
    </p>
    <p class="quiet">
      {{ matteWords(mattes.matte) }}
      <template v-if="fact?.waits.length"> · Missing input: {{ fact.waits.join(', ') }}</template>
    </p>
    <div class="seen" role="group" aria-label="Matte view">
      <button
        v-for="one in SEEN"
        :key="one.seen"
        type="button"
        :aria-pressed="mattes.seen === one.seen"
        @click="mattes.seen = one.seen"
      >
        {{ one.words }}
      </button>
      <button
        type="button"
        :aria-pressed="mattes.matte.invert ?? false"
        @click="
          mattes.change({ invert: !mattes.matte.invert }, `invert ${mattes.matte.invert ? 'off' : 'on'}`)
        "
      >
        Invert
      </button>
    </div>
    <MatteNames v-if="mattes.matte.kind === 'object'" :matte="mattes.matte" />
    <div v-if="mattes.matte.kind === 'shape'" class="seen">
      <button
        type="button"
        :aria-pressed="mattes.matte.smooth ?? true"
        @click="
          mattes.change(
            { smooth: !(mattes.matte.smooth ?? true) },
            `smooth ${(mattes.matte.smooth ?? true) ? 'off' : 'on'}`,
          )
        "
      >
        Smooth
      </button>
      <button v-if="hasFrames" type="button" :aria-pressed="keyed" @click="toggleKeys">Animate</button>
      <span v-if="keyed" class="quiet">Dragged points are set at frame {{ workspace.frame ?? number }}</span>
    </div>
    <details class="shaping">
      <summary>Adjust{{ shaped ? ` · ${shaped}` : '' }}</summary>
      <RulerScale
        v-for="one in rows"
        :key="one.field"
        :label="one.label"
        :scale="one.scale(valueOf(one))"
        :value="valueOf(one)"
        @moving="mattes.change(fieldsOf(one, $event), null)"
        @settled="settle(one, $event)"
      />
    </details>
  </section>
  <MattePass v-else-if="mattes.way === 'pass'" />
  <section v-else class="bench-part">
    <p class="quiet">Select a matte, or create one in the image.</p>
    <MatteNames v-if="mattes.way === 'object'" :matte="null" />
  </section>
</template>

<style scoped>
.seen {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
  align-items: center;
}
.shaping[open] {
  display: grid;
  gap: 8px;
}
summary {
  color: var(--text-2);
  cursor: pointer;
}
.bench-head input {
  flex: 1;
  min-width: 0;
  padding: 3px 6px;
  border: 1px solid var(--line);
  background: var(--well);
  color: inherit;
  font: inherit;
}
</style>
