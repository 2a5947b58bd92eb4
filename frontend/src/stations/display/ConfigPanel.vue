<script setup lang="ts">
import Select from 'primevue/select'
import { computed, ref } from 'vue'
import { bringConfig } from '@/api/client'
import { useShot } from '@/stores/shot'
import { useNotifications } from '@/stores/notifications'
import { useColourOffer } from '@/composables/useColourOffer'

/** The colour config: one that comes with Escala, or a studio's own, brought in or named by its path. */
const shots = useShot()
const notifications = useNotifications()
const { offer, config, load } = useColourOffer()
const folder = ref<HTMLInputElement>()
const files = ref<HTMLInputElement>()
const path = ref('')
const busy = ref('')
const variables = computed(() => Object.entries(offer.value?.variables ?? {}))
const roles = computed(() => Object.entries(offer.value?.roles ?? {}))

async function choose(source: string) {
  await shots.edit(
    [
      { op: 'replace', path: '/colour', value: { config: source } },
      { op: 'replace', path: '/display', value: {} },
    ],
    `Colour config ${offer.value?.configs.find((known) => known.source === source)?.title ?? source}`,
  )
}

function setVariable(name: string, event: Event) {
  const value = (event.target as HTMLInputElement).value.trim()
  const context = { ...shots.document?.colour?.context, [name]: value }
  if (!value) delete context[name]
  void shots.edit([{ op: 'add', path: '/colour/context', value: context }], `${name}: ${value || 'default'}`)
}

async function bring(event: Event) {
  const input = event.target as HTMLInputElement
  const chosen = [...(input.files ?? [])]
  if (!chosen.length) return
  try {
    const made = await bringConfig(chosen, (done) => (busy.value = `${done} of ${chosen.length} files`))
    await choose(made.source)
    await load()
  } catch (error) {
    notifications.show(error)
  } finally {
    busy.value = ''
    input.value = ''
  }
}

async function openPath() {
  await choose(path.value.trim())
  path.value = ''
}
</script>

<template>
  <section v-if="offer" class="bench-part" aria-label="Colour config">
    <div class="bench-head">
      <h2>Colour config</h2>
      <span v-if="busy" class="quiet" role="status">{{ busy }}</span>
    </div>
    <Select
      aria-label="Colour config"
      :model-value="config"
      :options="offer.configs"
      option-label="title"
      option-value="source"
      @update:model-value="choose"
    />
    <div v-if="offer.faults.length" role="status">
      <p class="warning">Parts of this config cannot be used:</p>
      <p v-for="fault in offer.faults" :key="fault" class="warning fault">{{ fault }}</p>
    </div>
    <label v-for="[name, given] in variables" :key="name" class="variable">
      <span>{{ name }}</span>
      <input
        :value="shots.document?.colour?.context?.[name] ?? ''"
        :placeholder="given || 'not set'"
        @change="setVariable(name, $event)"
      />
    </label>
    <details>
      <summary>Load config</summary>
      <div class="own">
        <p class="quiet">An OpenColorIO config with its LUTs: a folder, an archive, or files.</p>
        <div class="row">
          <button type="button" @click="folder?.click()">Choose folder…</button>
          <button type="button" @click="files?.click()">Choose files…</button>
        </div>
        <form class="row" @submit.prevent="openPath">
          <input v-model="path" aria-label="Config path" placeholder="Path below a media root" />
          <button type="submit" :disabled="!path.trim()">Load</button>
        </form>
        <input ref="folder" type="file" webkitdirectory hidden aria-label="Config folder" @change="bring" />
        <input ref="files" type="file" multiple hidden aria-label="Config files" @change="bring" />
      </div>
    </details>
    <details>
      <summary>Config roles</summary>
      <dl class="values">
        <template v-for="[role, space] in roles" :key="role">
          <dt>{{ role }}</dt>
          <dd>{{ space }}</dd>
        </template>
      </dl>
    </details>
  </section>
</template>

<style scoped>
.fault {
  font-size: 12px;
  overflow-wrap: anywhere;
}
.variable {
  display: grid;
  grid-template-columns: 110px 1fr;
  align-items: center;
}
summary {
  color: var(--text-2);
  font-size: 12px;
  cursor: pointer;
}
.own {
  display: grid;
  gap: 6px;
  padding-top: 6px;
}
.row {
  display: flex;
  gap: 4px;
}
.row input {
  flex: 1;
  min-width: 0;
}
.values dd {
  white-space: normal;
  font-weight: 400;
}
</style>
