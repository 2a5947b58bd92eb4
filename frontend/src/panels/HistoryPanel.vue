<script setup lang="ts">
import { momentText } from '@/format'
import { computed, shallowRef, watch } from 'vue'
import { api, unwrap } from '@/api/client'
import { fetchRevision } from '@/api/revisions'
import type { Revision } from '@/api/types'
import { useHolds } from '@/stores/holds'
import { useShot } from '@/stores/shot'
import { useNotifications } from '@/stores/notifications'

/** Every state of the variant, to compare with and to restore. */
const emit = defineEmits<{ close: [] }>()
const shots = useShot()
const holds = useHolds()
const notifications = useNotifications()
const revisions = shallowRef<Revision[]>([])
const newestFirst = computed(() => [...revisions.value].reverse())

watch(
  () => [shots.variant?.id, shots.variant?.head],
  async () => {
    if (!shots.variant) return
    const params = { path: { variant_id: shots.variant.id } }
    try {
      revisions.value = (
        await unwrap<{ revisions: Revision[] }>(api.GET('/api/variants/{variant_id}/revisions', { params }))
      ).revisions
    } catch (error) {
      notifications.show(error)
    }
  },
  { immediate: true },
)

const BRANCHES = { undone: 'undone', other: 'other branch' }
const picture = (number: number) =>
  `/api/variants/${shots.variant!.id}/revisions/${number}/picture?key=${shots.renderKey}`

/** A state of the history becomes a variant of its own. */
async function fork({ label, number }: Revision) {
  try {
    const document = await fetchRevision(shots.variant!.id, number)
    await shots.addDocument(shots.freeVariantName(label || 'As created'), document)
  } catch (error) {
    notifications.show(error)
  }
}

function hold(revision: Revision) {
  holds.holdState(revision.label, { variant: shots.variant!.id, base: revision.number, patch: [] })
  holds.mode = 'held'
}
</script>

<template>
  <aside class="history" aria-label="History">
    <div class="bench-head">
      <h2>History of {{ shots.variant?.name }}</h2>
      <button type="button" @click="emit('close')">Close</button>
    </div>
    <ol>
      <li
        v-for="revision in newestFirst"
        :key="revision.number"
        :class="{ here: revision.number === shots.variant?.head }"
      >
        <img :src="picture(revision.number)" alt="" loading="lazy" />
        <div>
          <span>{{ revision.label }}</span>
          <span class="quiet">
            {{
              revision.number === shots.variant?.head
                ? 'Current'
                : revision.number
                  ? momentText(revision.created)
                  : ''
            }}
            <template v-if="revision.branch"> · {{ BRANCHES[revision.branch] }}</template>
          </span>
          <span class="row">
            <button type="button" @click="hold(revision)">Compare</button>
            <button type="button" title="A new variant from this state" @click="fork(revision)">
              New variant
            </button>
            <button
              type="button"
              :disabled="revision.number === shots.variant?.head"
              @click="shots.restore(revision.number)"
            >
              Restore
            </button>
          </span>
        </div>
      </li>
    </ol>
  </aside>
</template>

<style scoped>
.history {
  position: absolute;
  z-index: 5;
  top: 90px;
  right: var(--beside, 0);
  display: flex;
  flex-direction: column;
  gap: 8px;
  width: 356px;
  height: calc(100vh - 114px);
  padding: 12px 16px;
  background: var(--surface-2);
  border: 1px solid var(--line);
}
ol {
  margin: 0;
  padding: 0;
  list-style: none;
  overflow-y: auto;
}
li {
  display: grid;
  grid-template-columns: 112px 1fr;
  gap: 10px;
  padding: 4px;
  border: 1px solid transparent;
}
li.here {
  border-color: var(--accent);
}
img {
  width: 112px;
  min-height: 63px;
  background: #000;
}
li div {
  display: flex;
  flex-direction: column;
  min-width: 0;
}
.quiet {
  font-size: 12px;
}
.row {
  display: flex;
  gap: 4px;
}
.row button {
  padding: 0 8px;
}
</style>
