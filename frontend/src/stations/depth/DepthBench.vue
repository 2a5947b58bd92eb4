<script setup lang="ts">
import { onScopeDispose, ref, watch } from 'vue'
import { useMattes } from '@/stores/mattes'
import FocusPart from './FocusPart.vue'
import HazePart from './HazePart.vue'
import MotionPart from './MotionPart.vue'
import ReadingPart from './ReadingPart.vue'
import { useDepth } from './useDepth'
import { useFocusTool } from './useFocusTool'
import { useHazeTool } from './useHazeTool'

/** What the camera and the air would have done: focus, haze, motion. */
const { survey } = useDepth()
const mattes = useMattes()
type Doing = 'focus' | 'haze'
const HANDS: { doing: Doing; words: string }[] = [
  { doing: 'focus', words: 'Set focus' },
  { doing: 'haze', words: 'Set haze range' },
]
const doing = ref<Doing>('focus')
let tool: { stop: () => void } | null = null
onScopeDispose(() => tool?.stop())
watch(
  [doing, () => mattes.open, () => !!survey.value?.found],
  ([next, mattesAreOpen, found]) => {
    tool?.stop()
    tool = mattesAreOpen || !found ? null : next === 'focus' ? useFocusTool() : useHazeTool()
  },
  { immediate: true },
)
</script>

<template>
  <section v-if="survey?.found" class="bench-part hands" aria-label="In the image">
    <div class="bench-head">
      <button
        v-for="one in HANDS"
        :key="one.doing"
        type="button"
        :aria-pressed="doing === one.doing"
        @click="doing = one.doing"
      >
        {{ one.words }}
      </button>
    </div>
    <p class="quiet">
      {{
        doing === 'focus'
          ? 'Click to set focus. The circle at the pointer shows the blur radius there.'
          : 'Drag from the start distance to the 50% distance.'
      }}
    </p>
  </section>
  <template v-if="survey?.found">
    <FocusPart />
    <HazePart />
  </template>
  <MotionPart />
  <ReadingPart />
</template>
