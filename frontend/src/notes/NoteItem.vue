<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Note } from '@/api/types'
import { momentText } from '@/format'
import { useNotes } from '@/stores/notes'
import { useShot } from '@/stores/shot'

/** A note with its answers; text is shown as it was sent. */
const props = defineProps<{ note: Note }>()
const notes = useNotes()
const shots = useShot()
const isAnswering = ref(false)
const answer = ref('')
const offered = ref<number | null>(null)

const variant = computed(() => shots.shot?.variants.find((one) => one.id === props.note.variant))
const isGone = computed(() => !variant.value)
/** Whether the open image is the one that the note was written on. */
const isCurrent = computed(
  () => shots.variant?.id === props.note.variant && shots.variant.head === props.note.revision,
)
const stale = computed(() =>
  shots.variant?.id === props.note.variant && !isCurrent.value
    ? `, the variant is at revision ${shots.variant.head}`
    : '',
)
const nameOf = (id: number) => shots.shot?.variants.find((one) => one.id === id)?.name ?? 'deleted'

async function send() {
  if (!answer.value.trim() || !(await notes.answer(props.note, answer.value, offered.value))) return
  answer.value = ''
  isAnswering.value = false
}
</script>

<template>
  <li
    class="note"
    :class="{ chosen: note.id === notes.chosen, done: note.state === 'done' }"
    :data-note="note.id"
  >
    <header>
      <b>{{ note.id }} {{ note.author }}</b>
      <span class="quiet">{{ momentText(note.created) }}</span>
    </header>
    <p class="text">{{ note.text }}</p>
    <p class="quiet">
      {{ isGone ? `${note.variant_name} (deleted)` : variant?.name }}, frame {{ note.frame }}, revision
      {{ note.revision }}{{ stale }}
    </p>
    <p v-for="one in note.answers" :key="one.id" class="answer">
      <b>{{ one.author }}</b> {{ one.text }}
      <button v-if="one.variant !== null" type="button" class="plain" @click="shots.openVariant(one.variant)">
        Variant {{ nameOf(one.variant) }}
      </button>
    </p>
    <form v-if="isAnswering" class="row" @submit.prevent="send">
      <input v-model="answer" maxlength="4000" aria-label="Answer" placeholder="Answer" />
      <select v-model="offered" aria-label="Variant of the answer">
        <option :value="null">No variant</option>
        <option v-for="one in shots.shot?.variants" :key="one.id" :value="one.id">{{ one.name }}</option>
      </select>
      <button type="submit" :disabled="!answer.trim() || !notes.author.trim()">Send</button>
    </form>
    <div class="row">
      <button v-if="!isGone" type="button" @click="notes.jump(note)">Show</button>
      <button
        v-if="!isCurrent"
        type="button"
        title="The image on which the note was written, held beside the present one"
        @click="notes.showRevision(note)"
      >
        Show revision {{ note.revision }}
      </button>
      <button type="button" :aria-expanded="isAnswering" @click="isAnswering = !isAnswering">Answer</button>
      <button type="button" @click="notes.setState(note, note.state === 'open' ? 'done' : 'open')">
        {{ note.state === 'open' ? 'Mark done' : 'Reopen' }}
      </button>
      <button type="button" class="plain" @click="notes.remove(note)">Delete</button>
    </div>
  </li>
</template>

<style scoped>
.note {
  display: grid;
  gap: 4px;
  padding: 6px 8px;
  border: 1px solid var(--line);
}
.note.chosen {
  border-color: var(--accent);
}
.done .text {
  color: var(--text-2);
}
header {
  display: flex;
  justify-content: space-between;
}
p {
  margin: 0;
  overflow-wrap: anywhere;
}
.text,
.answer {
  white-space: pre-wrap;
}
.answer {
  padding-left: 12px;
  border-left: 2px solid var(--line);
}
.row {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
}
.row input {
  flex: 1;
  min-width: 0;
}
select {
  max-width: 120px;
  border: 1px solid var(--line);
  background: var(--well);
  color: inherit;
  font: inherit;
}
.quiet {
  color: var(--text-2);
  font-size: 12px;
}
.plain {
  border-color: transparent;
  color: var(--text-2);
}
</style>
