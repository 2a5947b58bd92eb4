<script setup lang="ts">
import type { Removal } from '@/api/types'
import OnSwitch from '@/widgets/OnSwitch.vue'
import MatteButton from '@/mattes/MatteButton.vue'
import { useMattes } from '@/stores/mattes'
import { useShot } from '@/stores/shot'
import { useEntries } from '@/composables/useEntries'

/** Things taken away: what a matte covers goes from every pass and from the alpha. */
const removals = useEntries<Removal>('/beauty/removed')
const mattes = useMattes()
const shots = useShot()
const nameOf = (removal: Removal) => removal.matte ?? 'everything'

/** Nothing is taken before it is known where: the first matte makes the entry. */
function takeAway() {
  mattes.show({
    key: 'removed object',
    words: 'the removed object',
    matte: () => null,
    needed: true,
    patch: (matte) => (matte ? [{ op: 'add', path: '/beauty/removed/-', value: { matte } }] : []),
  })
}

function drop(removal: Removal) {
  mattes.close()
  void shots.edit([{ op: 'remove', path: `/beauty/removed/${removal.id}` }], `${nameOf(removal)} restored`)
}
</script>

<template>
  <section class="bench-part" aria-label="Removed objects">
    <div class="bench-head">
      <h2>Removed objects</h2>
      <button type="button" @click="takeAway">Remove object</button>
    </div>
    <p v-if="!removals.all.value.length" class="quiet">
      No removed objects. A removed object is cut from every pass and from alpha; the area becomes
      transparent.
    </p>
    <div v-for="removal in removals.all.value" :key="removal.id" class="bench-head">
      <MatteButton :what="removals.matteTarget(removal.id!, 'the removed object')" />
      <span class="fill" />
      <OnSwitch
        :on="removal.on !== false"
        :name="`Removal of ${nameOf(removal)}`"
        @change="
          removals.keep(
            removal.id!,
            { on: $event },
            `Removal of ${nameOf(removal)}: ${$event ? 'on' : 'off'}`,
          )
        "
      />
      <button type="button" @click="drop(removal)">Restore</button>
    </div>
  </section>
</template>

<style scoped>
.fill {
  flex: 1;
}
</style>
