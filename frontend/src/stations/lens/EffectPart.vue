<script setup lang="ts">
import { computed } from 'vue'
import type { Triple } from '@/api/types'
import MatteButton from '@/mattes/MatteButton.vue'
import OnSwitch from '@/widgets/OnSwitch.vue'
import RulerScale from '@/widgets/RulerScale.vue'
import TripleRuler from '@/widgets/TripleRuler.vue'
import { factorScale, readout } from '@/widgets/ruler'
import { useWorkspace } from '@/stores/workspace'
import type { usePart } from '@/composables/usePart'
import DirtPicture from './DirtPicture.vue'
import type { LensEffect, LensRuler } from './rows'

/** One effect of the lens: a line that says whether it is on; open, its rulers. */
const props = defineProps<{
  effect: LensEffect
  part: ReturnType<typeof usePart<Record<string, unknown>>>
  open: boolean
}>()
const emit = defineEmits<{ toggle: [] }>()

const workspace = useWorkspace()
const now = computed(() => props.part.now.value)
const tint = computed(() => now.value.tint as Triple)
const TINT = factorScale(4, 1)
const shown = (ruler: LensRuler) => (now.value[ruler.field] as number) * (ruler.unit ?? 1)
const change = (ruler: LensRuler, value: number) => ({
  [ruler.field]: ruler.scale.digits === 0 && !ruler.unit ? Math.round(value) : value / (ruler.unit ?? 1),
  on: true,
})

function moving(ruler: LensRuler, value: number) {
  if (ruler.marksOver) workspace.aids = { ...workspace.aids, over: value }
  props.part.show(change(ruler, value))
}

function settled(ruler: LensRuler, value: number) {
  if (ruler.marksOver) workspace.aids = { ...workspace.aids, over: null }
  props.part.keep(change(ruler, value), `${props.effect.title} ${ruler.label.toLowerCase()} ${readout(ruler.scale, value)}`) // prettier-ignore
}

const turnFlag = (field: string, label: string) =>
  props.part.keep({ [field]: !now.value[field] }, `${label}: ${now.value[field] ? 'off' : 'on'}`)
</script>

<template>
  <section class="bench-part" :aria-label="effect.title">
    <div class="bench-head">
      <button type="button" class="name" :aria-expanded="open" @click="emit('toggle')">
        {{ effect.title }}
      </button>
      <OnSwitch
        :name="effect.title"
        :on="now.on === true"
        @change="part.keep({ on: $event }, `${effect.title}: ${$event ? 'on' : 'off'}`)"
      />
    </div>
    <template v-if="open">
      <p class="quiet">{{ effect.says }}</p>
      <DirtPicture
        v-if="effect.name === 'dirt'"
        :picture="(now.picture as string | null) ?? null"
        @chosen="part.keep({ picture: $event, on: $event !== null }, 'Dirt image')"
      />
      <RulerScale
        v-for="ruler in effect.rulers"
        :key="ruler.field"
        :label="ruler.label"
        :scale="ruler.scale"
        :value="shown(ruler)"
        @moving="moving(ruler, $event)"
        @settled="settled(ruler, $event)"
      />
      <TripleRuler
        v-if="tint"
        label="Tint"
        :value="tint"
        :scale="TINT"
        keeps="ratio"
        @moving="part.show({ tint: $event })"
        @settled="part.keep({ tint: $event }, `${effect.title} tint`)"
      />
      <div v-if="effect.flags.length" class="bench-head">
        <button
          v-for="flag in effect.flags"
          :key="flag.field"
          type="button"
          :aria-pressed="now[flag.field] === true"
          @click="turnFlag(flag.field, flag.label)"
        >
          {{ flag.label }}
        </button>
      </div>
      <MatteButton v-if="effect.where" :what="part.matteTarget(effect.where)" />
    </template>
  </section>
</template>

<style scoped>
.name {
  flex: 1;
  padding: 2px 0;
  border: 0;
  background: none;
  font-weight: 600;
  text-align: left;
}
</style>
