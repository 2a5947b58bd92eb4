<script setup lang="ts">
import type { Removal } from '@/api/types'
import WhereWord from '@/mattes/WhereWord.vue'
import { useShelf } from '@/stores/shelf'
import { useShot } from '@/stores/shot'
import { useEntries } from '@/stores/useEntries'

/** Things taken away: what a matte covers goes from every pass and from the alpha. */
const removals = useEntries<Removal>('/beauty/removed')
const shelf = useShelf()
const shots = useShot()
const nameOf = (removal: Removal) => removal.matte ?? 'everything'

/** Nothing is taken before it is known where: the first matte makes the entry. */
function takeAway() {
  shelf.show({
    key: 'something to take away',
    words: 'what is taken away',
    matte: () => null,
    needed: true,
    patch: (matte) => (matte ? [{ op: 'add', path: '/beauty/removed/-', value: { matte } }] : []),
  })
}

function drop(removal: Removal) {
  shelf.close()
  void shots.edit([{ op: 'remove', path: `/beauty/removed/${removal.id}` }], `${nameOf(removal)} is back`)
}
</script>

<template>
  <section class="bench-part" aria-label="Taken away">
    <div class="bench-head">
      <h2>Taken away</h2>
      <button type="button" @click="takeAway">take something away</button>
    </div>
    <p v-if="!removals.all.value.length" class="quiet">
      Nothing. Point at a thing: it goes from every pass, and what lies beneath comes through.
    </p>
    <div v-for="removal in removals.all.value" :key="removal.id" class="bench-head">
      <WhereWord :what="removals.limitable(removal.id!, 'what is taken away')" />
      <span class="fill" />
      <button
        type="button"
        :aria-pressed="!removal.on"
        @click="removals.keep(removal.id!, { on: !removal.on }, `${nameOf(removal)}, away or not`)"
      >
        off
      </button>
      <button type="button" @click="drop(removal)">put back</button>
    </div>
  </section>
</template>

<style scoped>
.fill {
  flex: 1;
}
</style>
