<script setup lang="ts">
import { computed, onMounted, ref } from 'vue'
import { pluralise } from '@/format'
import { useNotes } from '@/stores/notes'
import { useShot } from '@/stores/shot'
import NoteItem from './NoteItem.vue'
import SharePart from './SharePart.vue'

/** Notes on the variants of the shot: written, answered, done, jumped to; and the shares of variants. */
const emit = defineEmits<{ close: [] }>()
const notes = useNotes()
const shots = useShot()
const FORMATS = { csv: 'CSV', txt: 'text', json: 'JSON' }
const text = ref('')
const showsDone = ref(false)
const onlyHere = ref(false)

onMounted(notes.show)
const listed = computed(() =>
  notes.notes.filter(
    (note) =>
      (showsDone.value || note.state === 'open') && (!onlyHere.value || note.variant === shots.variant?.id),
  ),
)
const canAdd = computed(() => !!text.value.trim() && !!notes.author.trim())

async function add() {
  if (!(await notes.add(text.value))) return
  text.value = ''
  notes.place = null
}
</script>

<template>
  <aside class="notes" aria-label="Notes">
    <div class="bench-head">
      <h2>Notes</h2>
      <button type="button" @click="emit('close')">Close</button>
    </div>
    <form @submit.prevent="add">
      <textarea
        v-model="text"
        rows="3"
        maxlength="4000"
        aria-label="Note"
        :placeholder="`Note on ${shots.variant?.name}, frame ${notes.shownFrame}`"
      />
      <div class="row">
        <input v-model="notes.author" maxlength="80" aria-label="Your name" placeholder="Your name" />
        <span class="quiet">
          {{
            notes.place
              ? `At ${notes.place.x.toFixed(0)}, ${notes.place.y.toFixed(0)}`
              : 'Click in the image: place'
          }}
        </span>
        <button v-if="notes.place" type="button" class="plain" @click="notes.place = null">
          Remove place
        </button>
        <button type="submit" class="go" :disabled="!canAdd">Add note</button>
      </div>
    </form>
    <div class="row">
      <span>{{ pluralise(notes.open, 'note') }} open</span>
      <label><input v-model="onlyHere" type="checkbox" /> This variant only</label>
      <label><input v-model="showsDone" type="checkbox" /> Show done</label>
    </div>
    <ol>
      <NoteItem v-for="note in listed" :key="note.id" :note="note" />
    </ol>
    <p v-if="!listed.length" class="quiet">No notes to show.</p>
    <button v-if="notes.more" type="button" @click="notes.loadMore">Show older notes</button>
    <p v-if="notes.notes.length" class="quiet">
      Save all notes as
      <template v-for="(words, format) in FORMATS" :key="format">
        <a :href="`/api/notes/file?shot=${shots.shot?.id}&format=${format}`" download>{{ words }}</a>{{ ' ' }}
      </template>
    </p>
    <SharePart />
  </aside>
</template>

<style scoped>
.notes {
  position: absolute;
  z-index: 5;
  top: 90px;
  right: var(--beside, 0);
  height: calc(100vh - 114px);
  overflow-y: auto;
  display: grid;
  align-content: start;
  gap: 10px;
  width: 356px;
  padding: 12px 14px 16px;
  background: var(--surface-2);
  border: 1px solid var(--line);
}
form {
  display: grid;
  gap: 6px;
}
textarea {
  padding: 6px 8px;
  border: 1px solid var(--line);
  background: var(--well);
  color: inherit;
  font: inherit;
  resize: vertical;
}
.row {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px 12px;
}
.row input:not([type='checkbox']) {
  width: 120px;
}
.row .go {
  margin-left: auto;
}
label input {
  margin: 0 4px 0 0;
  accent-color: var(--accent);
}
.quiet {
  color: var(--text-2);
  font-size: 12px;
}
.plain {
  padding: 0 4px;
  border-color: transparent;
}
ol {
  display: grid;
  gap: 8px;
  margin: 0;
  padding: 0;
  list-style: none;
}
p {
  margin: 0;
}
</style>
