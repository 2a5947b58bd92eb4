<script setup lang="ts">
import { computed } from 'vue'
import type { BoardCell } from '@/api/types'
import { spoken } from '@/stores/levels'
import { useRoom } from '@/stores/room'
import { useShot } from '@/stores/shot'
import BoardHead from './BoardHead.vue'
import BoardTile from './BoardTile.vue'
import { useBoard } from './useBoard'

const ALL = 'all'
const shots = useShot()
const room = useRoom()
const { board, sheet } = useBoard()

const rows = computed(() => (board.value?.is_grid ? board.value.lights : []))
const columns = computed(() => (board.value?.is_grid ? board.value.components : []))
const places = computed(
  () => new Map(board.value?.cells.map((cell) => [`${cell.light}/${cell.component}`, cell])),
)

function cell(light: string, component: string): BoardCell | undefined {
  return places.value.get(`${light}/${component}`)
}

function share(light: string, component: string): number {
  return cell(light, component)?.share ?? 0
}

const strips = computed(() => {
  const cells = board.value && !board.value.is_grid ? board.value.cells : []
  return [
    { axis: 'lights' as const, title: 'Lights', cells: cells.filter((c) => c.light !== ALL) },
    {
      axis: 'components' as const,
      title: 'Components',
      cells: cells.filter((c) => c.light === ALL && c.component !== ALL),
    },
  ].filter((strip) => strip.cells.length)
})
const size = computed(() => ({
  width: board.value?.tile_width ?? 128,
  height: board.value?.tile_height ?? 72,
}))
const extent = computed(() => ({
  columns: 1 + Math.max(0, ...(board.value?.cells.map((c) => c.column) ?? [])),
  rows: 1 + Math.max(0, ...(board.value?.cells.map((c) => c.row) ?? [])),
}))
</script>

<template>
  <section v-if="board && shots.variant" class="board" aria-label="Board">
    <table v-if="board.is_grid">
      <thead>
        <tr>
          <td />
          <th v-for="component in columns" :key="component" scope="col">
            <BoardHead axis="components" :name="component" :share="share(ALL, component)" />
          </th>
          <th scope="col" class="whole">All</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="light in rows" :key="light">
          <th scope="row">
            <BoardHead
              axis="lights"
              :name="light"
              :share="share(light, ALL)"
              :colour="board.light_colours[light]"
            />
          </th>
          <td v-for="component in columns" :key="component">
            <BoardTile
              v-if="cell(light, component)"
              axis="cells"
              :name="`${light}/${component}`"
              :label="`${spoken(light)}, ${component}`"
              :cell="cell(light, component)!"
              :sheet="sheet"
              :tile="size"
              :extent="extent"
            />
          </td>
          <td class="whole">
            <BoardTile
              v-if="cell(light, ALL)"
              axis="lights"
              :name="light"
              :label="`${spoken(light)}, all components`"
              :cell="cell(light, ALL)!"
              :sheet="sheet"
              :tile="size"
              :extent="extent"
              :bare="true"
            />
          </td>
        </tr>
      </tbody>
    </table>
    <div v-for="strip in strips" v-else :key="strip.axis" class="strip">
      <h3>{{ strip.title }}</h3>
      <div v-for="c in strip.cells" :key="c.column" class="strip-cell">
        <BoardHead
          :axis="strip.axis"
          :name="strip.axis === 'lights' ? c.light : c.component"
          :share="c.share"
          :colour="strip.axis === 'lights' ? board.light_colours[c.light] : undefined"
        />
        <BoardTile
          :axis="strip.axis"
          :name="strip.axis === 'lights' ? c.light : c.component"
          :label="spoken(strip.axis === 'lights' ? c.light : c.component)"
          :cell="c"
          :sheet="sheet"
          :tile="size"
          :extent="extent"
          :bare="true"
        />
      </div>
    </div>
    <p v-if="!board.cells.length" class="empty">
      No recipe was found: this render has neither lights nor components. Look at Source to see what its
      passes are.
    </p>
  </section>
  <p v-else class="empty">{{ room.station === 'balance' ? 'Drawing the board' : '' }}</p>
</template>

<style scoped>
.board {
  height: 100%;
  padding: 6px 8px 8px 14px;
  overflow: auto;
}
table {
  width: 100%;
  border-collapse: separate;
  border-spacing: 2px;
  table-layout: fixed;
}
thead td {
  width: 148px;
}
th {
  font-weight: 400;
  text-align: left;
  vertical-align: bottom;
}
td.whole,
th.whole {
  width: 76px;
}
th.whole {
  padding-left: 4px;
}
td {
  height: 38px;
  padding: 0;
}
.strip {
  display: flex;
  gap: 8px;
  align-items: flex-end;
  padding-bottom: 8px;
}
.strip h3 {
  width: 84px;
  margin: 0;
  font-size: 13px;
  font-weight: 400;
}
.strip-cell {
  width: 132px;
}
.empty {
  padding: 14px;
  color: var(--text-2);
}
</style>
