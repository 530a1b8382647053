<script setup lang="ts">
/** Rows of an outcome as a grid: typed, sorted by the head that is chosen, each with its number in the delivery. */
import { computed, nextTick, useTemplateRef, watch } from 'vue'
import type { MarkedCell, RowsFound } from '../api/client'
import { count, visible } from '../format'
import { kindOf } from '../rules/model'
import { isTyped, type SideName } from './question'
import { rowHeight, useRowsInView } from './view'

const {
  found,
  marks,
  row = undefined,
  sort = undefined,
  counted = undefined,
} = defineProps<{
  found: RowsFound
  /** What was changed, and what breaks a rule: by row and column. */
  marks: Map<number, Map<string, MarkedCell>>
  /** The row that is open. */
  row?: number
  sort?: { column: string; descending: boolean }
  /** The column whose values are counted. */
  counted?: string
}>()
const emit = defineEmits<{ turn: [column: string]; count: [column: string]; open: [row: number | undefined] }>()

const isNumber = (datatype = ''): boolean => kindOf(datatype) === 'number'
/** Of rows that were not accepted the number is a column by itself. */
const isNumbered = computed(() => isTyped(found.side as SideName))
const order = (name: string): 'ascending' | 'descending' | 'none' =>
  sort?.column !== name ? 'none' : sort.descending ? 'descending' : 'ascending'
const arrows = { ascending: '▴', descending: '▾', none: '' }

/** So much of a cell is shown. */
const mostOfCell = 300
/** What is told of a cell: what stood there before, null for no value, and what breaks a rule. */
interface Mark {
  was?: string | null
  /** Remedies that changed it. */
  by?: string[]
  breaks?: string[]
  /** It stood so in the run that is compared with. */
  isOther?: boolean
}
/** What stood in the cells of rows that are compared. */
const before = computed(() => {
  const all = new Map<number, Map<string, Mark>>()
  for (const r of found.items)
    if (r.before) all.set(r.row, new Map(r.before.map((b) => [b.column, { was: b.value, isOther: true }])))
  return all
})
const markOf = (row: number, place: number): Mark | undefined => {
  const name = found.columns[place]?.name ?? ''
  return before.value.get(row)?.get(name) ?? marks.get(row)?.get(name)
}
/** Rows that are compared and ended on different sides. */
const isElsewhere = computed(() => found.items.some((r) => r.other))
/** What stood in a cell before it was changed, where that was something else than is seen. */
function wasOf(row: number, place: number, cell: string | null): string | null | undefined {
  const mark = markOf(row, place)
  return mark?.was !== cell ? mark?.was : undefined
}
function titleOf(row: number, place: number, cell: string | null): string | undefined {
  const mark = markOf(row, place)
  const was = mark?.was === null ? 'none' : `“${mark?.was ?? ''}”`
  const parts = [
    ...(mark?.by ? [`${was} as delivered; changed by ${mark.by.join(', ')}`] : []),
    ...(mark?.isOther ? [`${was} in the other run`] : []),
    ...(mark?.breaks ?? []),
    ...(cell && cell.length > 40 ? [cell.slice(0, 2000)] : []),
  ]
  return parts.length > 0 ? parts.join('\n') : undefined
}

// From row to row by the keyboard: one row can be reached by the tabulator, the others by the arrows.
const body = useTemplateRef<HTMLElement>('body')
const scroller = useTemplateRef<HTMLElement>('scroller')
const { from, to, isWhole, reveal } = useRowsInView(() => found.items.length, scroller)
const drawn = computed(() => found.items.slice(from.value, to.value).map((r, i) => ({ r, k: from.value + i })))
/** Of rows that are not all drawn the columns are as wide as the longest cell, whichever are. */
const widths = computed(() =>
  isWhole.value
    ? []
    : found.columns.map((_, i) => {
        const longest = Math.max(...found.items.map((r) => r.cells[i]?.length ?? 4))
        return { minWidth: `min(280px, calc(${longest}ch + 20px))` }
      }),
)
const reached = computed(() =>
  Math.max(
    0,
    found.items.findIndex((r) => r.row === row),
  ),
)

async function focusOn(place: number): Promise<void> {
  const at = Math.min(Math.max(place, 0), found.items.length - 1)
  if (!isWhole.value) reveal(at)
  await nextTick()
  body.value?.querySelector<HTMLElement>(`[data-place="${at}"]`)?.focus()
  if (row !== undefined) emit('open', found.items[at]?.row)
}

function key(e: KeyboardEvent, place: number): void {
  const steps: Record<string, number> = { ArrowDown: 1, ArrowUp: -1, PageDown: 20, PageUp: -20 }
  const goal =
    e.key === 'Home'
      ? 0
      : e.key === 'End'
        ? found.items.length - 1
        : e.key in steps
          ? place + (steps[e.key] ?? 0)
          : -1
  if (e.key === 'Enter') emit('open', found.items[place]?.row)
  else if (e.key === 'Escape') emit('open', undefined)
  else if (e.key === 'c' && (e.ctrlKey || e.metaKey) && String(window.getSelection()) === '') copy(place)
  else if (goal >= 0 && e.target === e.currentTarget) void focusOn(goal)
  else return
  e.preventDefault()
}

/** Copies a row as text: tabulators between its cells. */
function copy(place: number): void {
  const text = (found.items[place]?.cells ?? []).map((c) => (c ?? '').replace(/[\t\r\n]+/g, ' ')).join('\t')
  const give = (e: ClipboardEvent): void => {
    e.clipboardData?.setData('text/plain', text)
    e.preventDefault()
  }
  document.addEventListener('copy', give, { once: true })
  document.execCommand('copy')
  document.removeEventListener('copy', give)
}

// A row that one goes to is seen.
watch(
  () => [row, found],
  async () => {
    const place = found.items.findIndex((r) => r.row === row)
    if (place >= 0 && !isWhole.value) reveal(place)
    await nextTick()
    if (row !== undefined) body.value?.querySelector('.open')?.scrollIntoView({ block: 'nearest' })
  },
  { immediate: true },
)
</script>

<template>
  <div
    ref="scroller"
    class="scroll"
    :class="{ beside: row !== undefined }"
    role="region"
    :aria-label="`${found.side} rows`"
    tabindex="0"
  >
    <table :aria-rowcount="isWhole ? undefined : found.items.length + 1">
      <thead>
        <tr>
          <th v-if="isNumbered" scope="col" class="number">row</th>
          <th v-if="isElsewhere" scope="col">other run</th>
          <th
            v-for="(c, i) in found.columns"
            :key="c.name"
            :style="widths[i]"
            scope="col"
            :class="{ number: isNumber(c.datatype), counted: c.name === counted }"
            :aria-sort="order(c.name)"
          >
            <!-- Its name stays while its mark changes, so that it can be clicked again at once. -->
            <button
              type="button"
              class="head"
              :aria-label="c.name"
              :title="`Sort by ${c.name}`"
              @click="emit('turn', c.name)"
            >
              {{ visible(c.name) }} <span aria-hidden="true">{{ arrows[order(c.name)] }}</span>
            </button>
            <button
              type="button"
              class="values"
              :aria-label="`Count the values of ${c.name}`"
              title="How often each value occurs"
              @click="emit('count', c.name)"
            >
              #
            </button>
          </th>
        </tr>
      </thead>
      <tbody ref="body">
        <tr v-if="from > 0" aria-hidden="true" :style="{ height: `${from * rowHeight}px` }"></tr>
        <tr
          v-for="{ r, k } in drawn"
          :key="r.at"
          v-memo="[r, found.columns, marks.get(r.row), r.row === row, k === reached]"
          :data-place="k"
          :aria-rowindex="isWhole ? undefined : k + 2"
          :class="{ open: r.row === row }"
          :tabindex="k === reached ? 0 : -1"
          :aria-selected="r.row === row"
          @keydown="key($event, k)"
          @click="emit('open', r.row)"
        >
          <td v-if="isNumbered" class="number soft">{{ count(r.row) }}</td>
          <td v-if="isElsewhere" class="soft">{{ r.other }}</td>
          <td
            v-for="(cell, i) in r.cells"
            :key="i"
            :class="{
              number: isNumber(found.columns[i]?.datatype),
              changed: markOf(r.row, i)?.by || markOf(r.row, i)?.isOther,
              breaks: markOf(r.row, i)?.breaks,
            }"
            :title="titleOf(r.row, i, cell)"
          >
            <del v-if="wasOf(r.row, i, cell) === null" class="blank">none</del>
            <del v-else-if="wasOf(r.row, i, cell) !== undefined" class="soft">{{
              visible(wasOf(r.row, i, cell)!.slice(0, 60)) || '“”'
            }}</del>
            <span v-if="cell === null" class="blank">none</span>
            <span v-else-if="cell === ''" class="blank">empty text</span>
            <template v-else>{{ visible(cell.slice(0, mostOfCell)) }}</template>
          </td>
        </tr>
        <tr
          v-if="to < found.items.length"
          aria-hidden="true"
          :style="{ height: `${(found.items.length - to) * rowHeight}px` }"
        ></tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.scroll {
  overflow: auto;
  max-height: calc(100vh - 260px);
  min-height: 220px;
}

/* The row that is open stands below, in sight of it. */
.beside {
  max-height: 42vh;
  min-height: 150px;
}

table {
  border-collapse: separate;
  border-spacing: 0;
  font-size: 13px;
  min-width: 100%;
}

th {
  position: sticky;
  top: 0;
  z-index: 1;
  background: var(--husk-wash);
  text-align: left;
  white-space: nowrap;
}

th,
td {
  padding: 4px 10px;
}

td {
  height: 28px; /* rowHeight */
  box-sizing: border-box;
  border-top: 1px solid var(--line);
  white-space: nowrap;
  max-width: 280px;
  overflow: hidden;
  text-overflow: ellipsis;
}

.number {
  text-align: right;
  font-variant-numeric: tabular-nums;
}

.counted {
  box-shadow: inset 0 -3px 0 var(--grain);
}

.head,
.values {
  padding: 0;
  border: 0;
  background: none;
  color: inherit;
  font: inherit;
  font-weight: 600;
  cursor: pointer;
}

.values {
  margin-left: 4px;
  color: var(--soft);
  font-weight: 400;
}

.head:hover,
.values:hover {
  text-decoration: underline;
}

tbody tr {
  cursor: pointer;
}

tbody tr:hover,
tbody tr.open {
  background: var(--grain-wash);
}

tbody tr:focus-visible {
  outline: 2px solid var(--grain);
  outline-offset: -2px;
}

td.changed {
  background: var(--leaf-wash);
  box-shadow: inset 0 -2px 0 var(--leaf);
}

td.breaks {
  background: var(--rust-wash);
  box-shadow: inset 0 -2px 0 var(--rust);
}

del {
  margin-right: 5px;
}

.blank {
  color: var(--soft);
  font-style: italic;
}
</style>
