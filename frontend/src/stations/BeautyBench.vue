<script setup lang="ts">
import { computed } from 'vue'
import TallyLine from '@/tally/TallyLine.vue'
import { useTally } from '@/tally/useTally'
import { percent, spoken } from '@/stores/levels'
import { useShot } from '@/stores/shot'

const shots = useShot()
const { tally, sheet } = useTally()
const rows = computed(() => (tally.value?.lines.length ?? 0) + (tally.value?.reference ? 2 : 1))
const others = computed(() => tally.value?.others.map((name) => name.replace('_', ' × ')) ?? [])

function use(name: string) {
  void shots.edit(
    [{ op: 'replace', path: '/recipe', value: name }],
    `Recipe by ${name.replace('_', ' and ')}`,
  )
}
</script>

<template>
  <template v-if="tally">
    <section class="bench-part">
      <h2>{{ tally.sentence }}</h2>
      <p class="quiet">
        Found by itself.
        <template v-if="others.length">
          Also possible:
          <button v-for="(name, i) in tally.others" :key="name" type="button" class="link" @click="use(name)">
            {{ others[i] }}
          </button>
        </template>
      </p>
    </section>
    <section class="bench-part lines" aria-label="Tally">
      <TallyLine
        v-for="(line, index) in tally.lines"
        :key="line.name"
        :operator="index ? '+' : ''"
        :title="spoken(line.name)"
        :note="`${line.formula} · ${percent(line.share)}`"
        :row="line.row"
        :rows="rows"
        :sheet="sheet"
      />
      <TallyLine
        v-if="tally.reference"
        operator="+"
        title="Residual"
        :note="`what no term holds · ${percent(tally.residual_share)}`"
        :row="tally.lines.length"
        :rows="rows"
        :sheet="sheet"
      />
      <hr />
      <TallyLine
        operator="="
        :title="tally.reference ? `Reference: ${tally.reference}` : 'The sum; there is no reference'"
        :row="rows - 1"
        :rows="rows"
        :sheet="sheet"
        :alone="true"
      >
        <p v-if="tally.verdict" :class="tally.verdict.exact ? 'match' : 'warning'">
          {{ tally.verdict.words }}
        </p>
      </TallyLine>
    </section>
  </template>
  <section v-else class="bench-part">
    <p class="quiet">
      {{ shots.shot?.render.recipes.length ? 'Adding up' : 'No recipe: there is nothing to add up.' }}
    </p>
  </section>
</template>

<style scoped>
.lines {
  gap: 0;
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
</style>
