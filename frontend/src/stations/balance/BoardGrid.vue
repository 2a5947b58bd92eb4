<script setup lang="ts">
import { displayName } from '@/format'
import { useElementSize } from '@vueuse/core'
import { computed, ref } from 'vue'
import ThumbnailSwitch from '@/widgets/ThumbnailSwitch.vue'
import type { BoardCell } from '@/api/types'
import type { Axis } from '@/document/levels'
import { useWorkspace } from '@/stores/workspace'
import { useShot } from '@/stores/shot'
import BoardHead from './BoardHead.vue'
import BoardTile from './BoardTile.vue'
import { useBoard } from './useBoard'

const ALL = 'all'
/** Its row stands beside those of the lights, and is no light. */
const RESIDUAL = 'residual'
const HEAD = 42
const HEAD_LINE = 24
const LOWEST = 38
const HIGHEST = 160
/** Of the grid: its first and last column, and what a cell needs beside its thumbnail. */
const FIRST_COLUMN = 128
const LAST_COLUMN = 110
const CELL_WORDS = 28
/** So wide are columns of components at least: name and share stay readable, and the grid scrolls sideways. */
const NARROWEST_COLUMN = 88
/** Of a strip: its title, what lies between tiles, how wide tiles are, and what `fold` takes at the right. */
const TITLE = 104
const GAP = 8
const WIDEST = 240
const FOLD = 84
const NARROWEST = 84
const shots = useShot()
const workspace = useWorkspace()
const { board, sheet } = useBoard()

const cells = computed(() => {
  const { cells = [], added = [], residual = null } = board.value ?? {}
  return residual ? [...cells, ...added, residual] : [...cells, ...added]
})
/** Rows beside those of the grid: added lights, and what no pass holds. */
const beside = computed(() => {
  const { added = [], residual = null } = board.value ?? {}
  const lights = added.map((cell) => ({ ...tileOf(cell), label: displayName(cell.light) }))
  const label = 'Residual, not explained by any term'
  return residual ? [...lights, { ...tileOf(residual), label }] : lights
})
const rows = computed(() => (board.value?.is_grid ? board.value.lights : []))
const rowCount = computed(() => rows.value.length + beside.value.length)
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

/** A tile of a strip: what it has the level of, and its cell. */
interface StripTile {
  axis: Axis
  name: string
  cell: BoardCell
}

const strips = computed(() => {
  const tiles = board.value && !board.value.is_grid ? cells.value.map(tileOf) : []
  const own = (axis: Axis) => tiles.filter((tile) => tile.axis === axis)
  return [
    { title: 'Lights', tiles: own('lights') },
    { title: 'Components', tiles: own('components') },
    { title: 'Residual', tiles: own('residual') },
  ].filter((strip) => strip.tiles.length)
})

function tileOf(cell: BoardCell): StripTile {
  if (cell.light !== ALL) return { axis: 'lights', name: cell.light, cell }
  if (cell.component !== ALL) return { axis: 'components', name: cell.component, cell }
  return { axis: 'residual', name: RESIDUAL, cell }
}

/** Rows are as high as the panel allows. */
const frame = ref<HTMLElement>()
const { width: across, height: space } = useElementSize(frame)

function heightOf(rowCount: number, used: number): number {
  return Math.floor((space.value - used) / Math.max(1, rowCount)) - 2
}

/** How many tiles stand in a row: as few, and so as large, as the height allows. */
const perRow = computed(() => {
  const available = across.value - TITLE - FOLD + GAP
  const most = Math.max(1, Math.floor(available / (NARROWEST + GAP)))
  const fewest = Math.max(1, Math.floor(available / (WIDEST + GAP)))
  for (let count = Math.min(fewest, most); count < most; count += 1)
    if (stripHeight(count) >= LOWEST) return count
  return most
})

function stripHeight(count: number): number {
  const lines = strips.value.reduce((sum, strip) => sum + Math.ceil(strip.tiles.length / count), 0)
  return heightOf(lines, lines * (HEAD + GAP))
}

const narrowest = computed(() => FIRST_COLUMN + LAST_COLUMN + columns.value.length * NARROWEST_COLUMN)
const height = computed(() => {
  if (!board.value?.is_grid) return Math.min(HIGHEST, Math.max(LOWEST, stripHeight(perRow.value)))
  const cell =
    (Math.max(across.value, narrowest.value) - FIRST_COLUMN - LAST_COLUMN) /
      Math.max(1, columns.value.length) -
    2
  const byWidth = ((cell - CELL_WORDS) * size.value.height) / size.value.width
  return Math.min(HIGHEST, Math.max(LOWEST, Math.min(heightOf(rowCount.value, HEAD_LINE + 4), byWidth)))
})
const size = computed(() => ({
  width: board.value?.tile_width ?? 128,
  height: board.value?.tile_height ?? 72,
}))
const extent = computed(() => ({
  columns: 1 + Math.max(0, ...cells.value.map((c) => c.column)),
  rows: 1 + Math.max(0, ...cells.value.map((c) => c.row)),
}))
/** What all tiles are drawn with. */
const drawing = computed(() => ({
  sheet: sheet.value,
  tile: size.value,
  extent: extent.value,
  height: height.value,
}))
</script>

<template>
  <section v-if="board && shots.variant" ref="frame" class="board" aria-label="Board">
    <ThumbnailSwitch class="lifting" />
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
              :label="`${displayName(light)}, ${component}`"
              :cell="cell(light, component)!"
              v-bind="drawing"
            />
          </td>
          <td class="whole">
            <BoardTile
              v-if="cell(light, ALL)"
              axis="lights"
              :name="light"
              :label="`${displayName(light)}, all components`"
              :cell="cell(light, ALL)!"
              v-bind="drawing"
              :full-screen="true"
            />
          </td>
        </tr>
        <tr v-for="row in beside" :key="`${row.axis} ${row.name}`">
          <th scope="row">
            <BoardHead
              :axis="row.axis"
              :name="row.name"
              :share="row.cell.share"
              :colour="board.light_colours[row.name]"
            />
          </th>
          <td v-for="component in columns" :key="component" />
          <td class="whole">
            <BoardTile
              :axis="row.axis"
              :name="row.name"
              :label="row.label"
              :cell="row.cell"
              v-bind="drawing"
              :full-screen="true"
            />
          </td>
        </tr>
      </tbody>
    </table>
    <div v-for="strip in strips" v-else :key="strip.title" class="strip">
      <h3>{{ strip.title }}</h3>
      <div class="cells">
        <div v-for="tile in strip.tiles" :key="tile.name">
          <BoardHead
            :axis="tile.axis"
            :name="tile.name"
            :share="tile.cell.share"
            :colour="board.light_colours[tile.cell.light]"
          />
          <BoardTile
            :axis="tile.axis"
            :name="tile.name"
            :label="displayName(tile.name)"
            :cell="tile.cell"
            v-bind="drawing"
            :full-screen="true"
          />
        </div>
      </div>
    </div>
    <p v-if="!board.cells.length" class="empty">No lights or components detected. Assign roles at Source.</p>
  </section>
  <p v-else class="empty">{{ workspace.station === 'balance' ? 'Loading…' : '' }}</p>
</template>

<style scoped>
.lifting {
  position: absolute;
  z-index: 2;
  top: 1px;
  left: 14px;
  width: 110px;
  padding: 0;
  text-align: left;
  line-height: 12px;
  border: 0;
  background: none;
  color: var(--text-3);
  font-size: 11px;
}
.board {
  height: 100%;
  padding: 2px 8px 4px 14px;
  overflow: auto;
}
table {
  width: 100%;
  min-width: v-bind('`${narrowest}px`');
  border-collapse: separate;
  border-spacing: 2px;
  table-layout: fixed;
}
thead td {
  width: v-bind('`${FIRST_COLUMN}px`');
}
th {
  font-weight: 400;
  text-align: left;
  vertical-align: bottom;
}
th[scope='row'] {
  position: sticky;
  z-index: 1;
  left: 0;
  background: var(--surface-2);
}
td.whole,
th.whole {
  width: v-bind('`${LAST_COLUMN}px`');
}
th.whole {
  padding-left: 4px;
}
td {
  padding: 0;
}
.strip {
  display: grid;
  grid-template-columns: v-bind('`${TITLE}px`') 1fr;
  padding: 0 v-bind('`${FOLD}px`') v-bind('`${GAP}px`') 0;
}
.strip h3 {
  margin: 20px 0 0;
  font-size: 13px;
  font-weight: 400;
}
.cells {
  display: grid;
  grid-template-columns: repeat(v-bind(perRow), minmax(0, v-bind('`${WIDEST}px`')));
  gap: v-bind('`${GAP}px`');
}
.empty {
  padding: 14px;
  color: var(--text-2);
}
</style>
