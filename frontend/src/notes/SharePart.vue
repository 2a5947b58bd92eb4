<script setup lang="ts">
import { ref, watch } from 'vue'
import { api, unwrap } from '@/api/client'
import { momentText } from '@/format'
import { useNotes } from '@/stores/notes'
import { useNotifications } from '@/stores/notifications'
import { useShot } from '@/stores/shot'

/** Shares: variants behind an address of their own, on which others look and remark, until they are withdrawn. */
const notes = useNotes()
const shots = useShot()
const notifications = useNotifications()
const name = ref('')
const follow = ref(true)
const variants = ref<number[]>([])
const address = ref('')

watch(
  () => shots.variant?.id,
  (id) => (variants.value = id === undefined ? [] : [id]),
  { immediate: true },
)

async function share() {
  try {
    const body = { variants: variants.value, name: name.value, follow: follow.value }
    const made = await unwrap<{ path: string }>(api.POST('/api/shares', { body }))
    address.value = `${location.origin}${made.path}`
    name.value = ''
    await notes.loadShares()
  } catch (error) {
    notifications.show(error)
  }
}

async function withdraw(id: number) {
  try {
    await unwrap(api.DELETE('/api/shares/{share_id}', { params: { path: { share_id: id } } }))
    await notes.loadShares()
  } catch (error) {
    notifications.show(error)
  }
}

async function copy() {
  await navigator.clipboard.writeText(address.value).catch(notifications.show)
}
</script>

<template>
  <section class="share" aria-label="Shares">
    <h3>Share</h3>
    <form @submit.prevent="share">
      <label v-for="variant in shots.shot?.variants" :key="variant.id">
        <input v-model="variants" type="checkbox" :value="variant.id" /> {{ variant.name }}
      </label>
      <label><input v-model="follow" type="checkbox" /> Follow later edits</label>
      <div class="row">
        <input
          v-model="name"
          maxlength="120"
          aria-label="Name of the share"
          placeholder="Name, as in Client review"
        />
        <button type="submit" class="go" :disabled="!name.trim() || !variants.length">Share</button>
      </div>
    </form>
    <p v-if="address" class="address" role="status">
      <span>The address is shown here only:</span>
      <a :href="address" target="_blank" rel="noreferrer">{{ address }}</a>
      <button type="button" @click="copy">Copy</button>
    </p>
    <ul>
      <li v-for="one in notes.shares" :key="one.id">
        <span>
          {{ one.name }}
          <span class="quiet">
            {{ one.follow ? 'follows' : 'fixed revision' }},
            {{
              one.withdrawn
                ? 'withdrawn'
                : one.last_used
                  ? `last used ${momentText(one.last_used)}`
                  : 'not used yet'
            }}
          </span>
        </span>
        <button v-if="!one.withdrawn" type="button" @click="withdraw(one.id)">Withdraw</button>
      </li>
    </ul>
  </section>
</template>

<style scoped>
.share {
  display: grid;
  gap: 8px;
  padding-top: 8px;
  border-top: 1px solid var(--line);
}
h3 {
  margin: 0;
  font-size: 13px;
}
form {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
}
.row {
  display: flex;
  gap: 8px;
  width: 100%;
}
.row input {
  flex: 1;
}
label input {
  margin: 0 4px 0 0;
  accent-color: var(--accent);
}
ul {
  display: grid;
  gap: 4px;
  margin: 0;
  padding: 0;
  list-style: none;
}
li {
  display: flex;
  justify-content: space-between;
  align-items: center;
}
p {
  margin: 0;
  overflow-wrap: anywhere;
}
.address {
  display: grid;
  gap: 4px;
  justify-items: start;
}
.quiet {
  color: var(--text-2);
  font-size: 12px;
}
</style>
