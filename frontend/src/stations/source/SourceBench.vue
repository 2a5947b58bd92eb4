<script setup lang="ts">
import { pluralise } from '@/format'
import { computed } from 'vue'
import DenoisePart from './DenoisePart.vue'
import FilePanel from './FilePanel.vue'
import PassHistogram from './PassHistogram.vue'
import PassReading from '@/widgets/PassReading.vue'
import { useWorkspace } from '@/stores/workspace'
import { useShot } from '@/stores/shot'
import { meaningOf } from './meaning'
import { useSourceEdits, wordsOf } from './useSourceEdits'

const shots = useShot()
const workspace = useWorkspace()
const edits = useSourceEdits()
const render = computed(() => shots.shot?.render)
const all = computed(() => shots.variant?.reading.passes ?? [])
const chosen = computed(() => {
  const found = all.value.filter((p) => workspace.chosenPasses.includes(p.name))
  return found.length ? found : all.value.slice(0, 1)
})
const pass = computed(() => chosen.value[0])
const byHand = computed(() => chosen.value.some((p) => p.name in (shots.document?.source?.roles ?? {})))
/** Uncertain roles may be confirmed. */
const SURE = 0.7
const isGuess = computed(() => Boolean(pass.value && pass.value.sure < SURE && pass.value.role !== 'other'))
const facts = computed(() =>
  Object.entries(render.value?.attributes ?? {}).filter(([key]) => !key.startsWith('cryptomatte/')),
)
const frames = computed(() => Object.keys(render.value?.frames ?? {}))
const rules = computed(() => shots.variant?.suggested_rules ?? {})
const ruled = computed(() => Object.keys(rules.value))
const twins = computed(() => new Set(all.value.map((p) => p.twin).filter(Boolean)).size > 0)
const repairs = computed(() =>
  (shots.document?.source?.repairs ?? []).map((repair, index) => ({ ...repair, index })),
)
const countOf = (repair: { pass_name: string; how: string }) =>
  shots.variant?.reading.repaired[`${repair.pass_name}/${repair.how}`]
const ranges = computed(() =>
  (pass.value?.channels ?? []).map((channel, i) => ({
    channel,
    low: pass.value!.statistics.low[i] ?? 0,
    high: pass.value!.statistics.high[i] ?? 0,
  })),
)
const number = (value: number) => (value === 0 ? '0' : value.toPrecision(4)).replace('-', '−')
function chooseRate(event: Event) {
  const rate = Number((event.target as HTMLInputElement).value)
  edits.setFrameRate(rate >= 1 && rate <= 240 && rate !== render.value?.frame_rate ? rate : null)
}

const ALPHAS = [
  { value: 'associated', title: 'Associated (premultiplied)' },
  { value: 'unassociated', title: 'Unassociated: colour is multiplied by alpha on reading' },
  { value: 'ignored', title: 'Ignore alpha: every pixel is opaque' },
] as const
const hasAlpha = computed(() => all.value.some((p) => p.role === 'alpha'))
const alpha = computed(() => shots.document?.source?.alpha ?? 'associated')
const TWINS = [
  { twin: null, words: 'either' },
  { twin: 'noisy', words: 'noisy' },
  { twin: 'denoised', words: 'denoised' },
] as const
</script>

<template>
  <section v-if="render && shots.shot" class="bench-part" aria-label="Render">
    <h2>{{ render.display.width }} × {{ render.display.height }}, {{ pluralise(all.length, 'pass') }}</h2>
    <p class="quiet">
      {{ frames.length === 1 ? `Frame ${frames[0]}` : `Frames ${frames[0]} to ${frames.at(-1)}` }} ·
      {{ shots.variant?.input_space }}: {{ shots.variant?.inputs[0]?.reason }}.
    </p>
    <p v-for="finding in render.diagnostics" :key="finding.code" class="warning">{{ finding.message }}</p>
    <label v-if="frames.length > 1" class="bench-head">
      <span class="fill">Frame rate (fps)</span>
      <input
        type="number"
        class="rate"
        min="1"
        max="240"
        step="any"
        :value="shots.document?.source?.frame_rate ?? render.frame_rate"
        @change="chooseRate"
      />
    </label>
    <div v-if="hasAlpha" class="bench-head" role="group" aria-label="Alpha">
      <span class="fill">Alpha</span>
      <button
        v-for="each in ALPHAS"
        :key="each.value"
        type="button"
        :aria-pressed="alpha === each.value"
        :title="each.title"
        @click="edits.readAlpha(each.value)"
      >
        {{ each.value }}
      </button>
    </div>
    <div v-if="ruled.length" class="bench-head">
      <span class="fill">
        {{ ruled.length === 1 ? 'A saved naming rule gives' : `${ruled.length} saved naming rules give` }}
        {{ ruled.slice(0, 3).join(', ') }}{{ ruled.length > 3 ? ' and more' : '' }} another role.
      </span>
      <button type="button" @click="edits.useRules(rules)">Apply</button>
    </div>
    <div v-if="twins" class="bench-head" role="group" aria-label="Noisy or denoised passes">
      <span class="fill">Use passes</span>
      <button
        v-for="choice in TWINS"
        :key="choice.words"
        type="button"
        :aria-pressed="(shots.document?.source?.twin ?? null) === choice.twin"
        @click="edits.useTwin(choice.twin)"
      >
        {{ choice.words }}
      </button>
    </div>
    <div v-for="repair in repairs" :key="repair.index" class="bench-head">
      <span class="fill">
        {{ repair.pass_name }}: {{ wordsOf(repair.how)
        }}<template v-if="countOf(repair) !== undefined"
          >, {{ countOf(repair)!.toLocaleString('en') }} pixels</template
        >
      </span>
      <button type="button" @click="edits.undoRepair(repair.index)">Remove repair</button>
    </div>
  </section>
  <DenoisePart v-if="shots.shot" />
  <section v-if="pass && shots.shot" class="bench-part" aria-label="Pass">
    <div class="bench-head">
      <h2>{{ chosen.length > 1 ? `${chosen.length} passes` : pass.name }}</h2>
      <button
        type="button"
        :aria-pressed="workspace.passShown === pass.name"
        @click="workspace.showLarge(pass.name)"
      >
        View pass
      </button>
    </div>
    <p>{{ meaningOf(pass) }}</p>
    <div class="bench-head">
      <span class="fill quiet">{{ pass.reason }}; {{ Math.round(pass.sure * 100) }}% confidence.</span>
      <button v-if="isGuess" type="button" @click="edits.confirm(pass)">Confirm role</button>
    </div>
    <PassReading
      :passes="chosen"
      :by-hand="byHand"
      @read="(change, what) => edits.readAs(chosen, change, what)"
      @reset="edits.asRecognised(chosen)"
    />
    <div v-for="finding in pass.diagnostics" :key="finding.code" class="finding">
      <p class="warning">{{ finding.message }}</p>
      <button
        v-if="finding.place"
        type="button"
        @click="workspace.putPin({ x: finding.place[0], y: finding.place[1] })"
      >
        Show {{ finding.place[0] }}, {{ finding.place[1] }}
      </button>
      <button v-if="finding.repair" type="button" @click="edits.repair(pass.name, finding.repair)">
        {{ wordsOf(finding.repair) }}
      </button>
    </div>
    <PassHistogram :name="pass.name" />
    <dl class="values">
      <dt>Pixel type</dt>
      <dd>{{ pass.pixel_type }}</dd>
      <template v-for="range in ranges" :key="range.channel">
        <dt>{{ range.channel }}</dt>
        <dd>{{ number(range.low) }} to {{ number(range.high) }}</dd>
      </template>
    </dl>
    <p v-if="pass.role === 'depth'" class="bench-head">
      <button type="button" @click="edits.repair(pass.name, 'reverse_depth')">
        Reverse depth (near/far)
      </button>
      <button type="button" @click="edits.repair(pass.name, 'invert_depth')">
        Read as inverse depth (1/z)
      </button>
    </p>
  </section>
  <FilePanel :chosen="chosen" :all="all.length" />
  <section class="bench-part" aria-label="Header">
    <h2>Header</h2>
    <dl class="values">
      <template v-for="[key, value] in facts" :key="key">
        <dt>{{ key }}</dt>
        <dd :title="value">{{ value }}</dd>
      </template>
    </dl>
  </section>
</template>

<style scoped>
.fill {
  flex: 1;
  overflow-wrap: anywhere;
}
.rate {
  width: 84px;
}
.finding {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
}
.finding p {
  width: 100%;
}
dd {
  overflow: hidden;
  text-overflow: ellipsis;
}
</style>
