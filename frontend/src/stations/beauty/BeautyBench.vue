<script setup lang="ts">
import { displayName, percent } from '@/format'
import { computed, ref } from 'vue'
import ThumbnailSwitch from '@/widgets/ThumbnailSwitch.vue'
import { useRowDrag } from '@/widgets/useRowDrag'
import TallyLine from './TallyLine.vue'
import TallyVerdict from './TallyVerdict.vue'
import TermControls from './TermControls.vue'
import { useTally } from './useTally'
import { useTermEdits } from './useTermEdits'
import RemovedList from './RemovedList.vue'
import CorrectionList from '@/corrections/CorrectionList.vue'
import { useWorkspace } from '@/stores/workspace'
import { useShot } from '@/stores/shot'

const shots = useShot()
const workspace = useWorkspace()
const { tally, sheet } = useTally()
const terms = useTermEdits()
const opened = ref('')
const rows = computed(() => (tally.value?.lines.length ?? 0) + (tally.value?.reference ? 2 : 1))
const drag = useRowDrag((name, to) => terms.moveTo(names.value, name, names.value.indexOf(to)))
const others = computed(() => tally.value?.others.map((name) => name.replace('_', ' × ')) ?? [])
const names = computed(() => tally.value?.lines.map((line) => line.name) ?? [])
const changed = computed(() => {
  const edits = shots.document?.tally
  return Boolean(edits && (Object.keys(edits.terms ?? {}).length || edits.added?.length || edits.order?.length || factor.value)) // prettier-ignore
})
const factor = computed(() => {
  const values = shots.document?.tally?.factor ?? [1, 1, 1]
  return values.some((value) => value !== 1) ? values.map((v) => v.toPrecision(4)).join(', ') : ''
})

const SIGNS: Record<string, string> = {
  add: '+',
  subtract: '−',
  multiply: '×',
  screen: 'screen',
  over: 'over',
}

function use(name: string) {
  void shots.edit(
    [{ op: 'replace', path: '/recipe', value: name }],
    `Recipe by ${name.replace('_', ' and ')}`,
  )
}

function stateOf(name: string): string {
  const edit = terms.editOf(name)
  if (!edit.on) return 'mute'
  if (edit.alone) return 'solo'
  return edit.strength === 1 ? '' : `× ${edit.strength.toFixed(2)}`
}
</script>

<template>
  <template v-if="tally">
    <section class="bench-part">
      <h2>{{ tally.sentence }}</h2>
      <p class="quiet">
        {{ changed ? 'Edited.' : 'Detected automatically.' }}
        <button v-if="changed" type="button" class="link" @click="terms.asFound">Reset to detected</button>
        <template v-if="others.length">
          Also possible:
          <button v-for="(name, i) in tally.others" :key="name" type="button" class="link" @click="use(name)">
            {{ others[i] }}
          </button>
        </template>
      </p>
    </section>
    <section class="bench-part lines" aria-label="Tally">
      <ThumbnailSwitch class="lifting" />
      <template v-for="(line, index) in tally.lines" :key="line.name">
        <TallyLine
          :operator="index || line.operator !== 'add' ? (SIGNS[line.operator] ?? '') : ''"
          :title="displayName(line.name)"
          :note="`${line.formula}${line.operator === 'add' ? ` · ${percent(line.share)}` : ''}`"
          :lift="workspace.lifted ? line.lift : 0"
          :row="line.row"
          :rows="rows"
          :sheet="sheet"
          :open="opened === line.name"
          :state="stateOf(line.name)"
          v-bind="drag.row(line.name)"
          :handle="drag.handle(line.name)"
          @toggle="opened = opened === line.name ? '' : line.name"
        />
        <TermControls v-if="opened === line.name" :line="line" :names="names" />
      </template>
      <p v-if="factor" class="quiet">Whole sum × {{ factor }}</p>
      <TallyLine
        v-if="tally.reference"
        operator="+"
        title="Residual"
        :note="`not explained by any term · ${percent(tally.residual_share)}`"
        :row="tally.lines.length"
        :rows="rows"
        :sheet="sheet"
      />
      <hr />
      <TallyLine
        operator="="
        :title="tally.reference ? `Reference: ${tally.reference}` : 'Sum (no reference)'"
        :row="rows - 1"
        :rows="rows"
        :sheet="sheet"
        :alone="true"
      />
    </section>
    <section v-if="tally.verdict" class="bench-part">
      <TallyVerdict :verdict="tally.verdict" @repair="terms.repair" />
    </section>
    <details v-if="tally.unused.length" class="bench-part">
      <summary>Unused passes ({{ tally.unused.length }})</summary>
      <div class="unused">
        <button
          v-for="name in tally.unused"
          :key="name"
          type="button"
          :title="`Add ${name} to the sum`"
          @click="terms.addPass(name)"
        >
          + {{ name }}
        </button>
      </div>
    </details>
    <RemovedList />
    <CorrectionList place="/beauty/corrections" />
  </template>
  <section v-else class="bench-part">
    <p class="quiet">
      {{
        shots.variant?.reading.recipes.length
          ? 'Loading…'
          : 'No recipe: this render has no lights or components to sum.'
      }}
    </p>
  </section>
</template>

<style scoped>
.lifting {
  justify-self: start;
  align-self: start;
}
/* The lines scroll by themselves, so that verdict, removed objects and corrections stay in sight. */
.lines {
  flex: none;
  gap: 0;
  align-content: start;
  max-height: max(250px, 100vh - 540px);
  overflow-y: auto;
}
hr {
  width: 100%;
  height: 3px;
  margin: 6px 0;
  border: 1px solid var(--text-2);
  border-width: 1px 0;
}
.link {
  margin-right: 6px;
  padding: 0;
  border: 0;
  background: none;
  color: var(--text-1);
  text-decoration: underline;
}
summary {
  cursor: pointer;
}
.unused {
  margin-top: 8px;
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
}
.unused button {
  padding: 1px 8px;
}
</style>
