<script setup lang="ts">
import { computed, ref } from 'vue'
import { useMattes } from '@/stores/mattes'
import { WAYS } from './kinds'
import MatteTile from './MatteTile.vue'
import { PAGE, useMatteFacts } from './useMatteFacts'

/** The mattes of the variant in a row, and the ways of making one in the picture. */
const mattes = useMattes()
const { shelf: facts, sheet, first } = useMatteFacts()
const joining = ref<{ one: string; other: string } | null>(null)
const tile = computed(() => ({
  width: facts.value?.tile_width ?? 112,
  height: facts.value?.tile_height ?? 63,
}))
const hint = computed(() => WAYS.find((way) => way.way === mattes.way)!.hint)
const title = computed(() => (mattes.limited ? `Matte for ${mattes.limited.words}` : 'Mattes'))

const HOWS = [
  { how: 'any', words: 'Union' },
  { how: 'all', words: 'Intersect' },
  { how: 'minus', words: 'Subtract' },
]

function join(how: string) {
  if (!joining.value) return
  const { one, other } = joining.value
  const words = how === 'minus' ? `${one} minus ${other}` : how === 'all' ? `${one} and ${other}` : `${one} or ${other}` // prettier-ignore
  const name = mattes.freeName(words.slice(0, 80))
  joining.value = null
  void mattes.keep(name, { kind: 'join', how, of: [one, other] }, `Matte ${name}: mattes combined`)
}
</script>

<template>
  <section class="shelf" aria-label="Mattes">
    <div class="head">
      <h2>{{ title }}</h2>
      <p class="quiet">{{ hint }}</p>
      <button type="button" class="close" @click="mattes.close()">Close</button>
    </div>
    <div class="ways" role="group" aria-label="Create a matte">
      <button
        v-for="way in WAYS"
        :key="way.way"
        type="button"
        :aria-pressed="mattes.way === way.way"
        :title="way.hint"
        @click="mattes.make(way.way)"
      >
        {{ way.words }}
      </button>
    </div>
    <div v-if="joining" class="joining" role="group" aria-label="Combine two mattes">
      {{ joining.one }} and {{ joining.other }}:
      <button v-for="one in HOWS" :key="one.how" type="button" @click="join(one.how)">{{ one.words }}</button>
      <button type="button" @click="joining = null">Cancel</button>
    </div>
    <div class="row">
      <button
        v-if="mattes.limited && !mattes.limited.needed"
        type="button"
        class="everywhere"
        :aria-pressed="mattes.limited.matte() === null"
        @click="mattes.limit(null)"
      >
        None (whole image)
      </button>
      <MatteTile
        v-for="matte in facts?.mattes ?? []"
        :key="matte.name"
        :matte="matte"
        :sheet="sheet"
        :tile="tile"
        :chosen="mattes.chosen === matte.name"
        @choose="mattes.limited ? mattes.limit(matte.name) : mattes.choose(matte.name)"
        @dropped="joining = { one: $event, other: matte.name }"
      />
      <template v-if="facts && facts.total > PAGE">
        <button type="button" :disabled="first === 0" @click="first -= PAGE">Previous {{ PAGE }}</button>
        <button type="button" :disabled="first + PAGE >= facts.total" @click="first += PAGE">
          Next {{ PAGE }} of {{ facts.total }}
        </button>
      </template>
      <p v-if="!facts" class="quiet">Loading…</p>
      <p v-else-if="!facts.total" class="quiet">
        No mattes. Choose a kind above, then create one in the image.
      </p>
    </div>
  </section>
</template>

<style scoped>
.shelf {
  display: grid;
  grid-template-rows: auto auto 1fr;
  gap: 6px;
  height: 100%;
  padding: 8px 14px;
  overflow: hidden;
}
.head {
  display: flex;
  gap: 12px;
  align-items: center;
}
.head h2 {
  font-size: 13px;
  white-space: nowrap;
}
.head p {
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.ways {
  display: flex;
  flex-wrap: wrap;
  gap: 3px;
}
.ways button {
  padding: 2px 7px;
  font-size: 12px;
}
.close {
  margin: 0 92px 0 auto;
}
.row {
  display: flex;
  gap: 8px;
  align-items: flex-start;
  overflow: auto;
}
.everywhere {
  flex: none;
  width: 92px;
  height: 64px;
}
.joining {
  display: flex;
  gap: 6px;
  align-items: center;
}
</style>
