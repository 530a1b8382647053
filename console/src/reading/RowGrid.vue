<script setup lang="ts">
import { ElButton, ElInputNumber, ElSwitch } from 'element-plus'
import { computed, nextTick, onBeforeUnmount, onMounted, ref, shallowRef, watch } from 'vue'
import { useAddress } from '../address'
import { answered, api, type Given, type Layout, type LineSeen, type RowSeen, type Window } from '../api/client'
import { count, counted, visible } from '../format'
import CutRuler from './CutRuler.vue'
import { pieces } from './raw'

const { delivery, given, layout, columns, top, total, all, busy } = defineProps<{
  delivery: string
  given: Given
  layout: Layout
  columns: string[]
  /** The first rows, which came with the reading. */
  top: Window
  /** Rows counted so far, and whether these are all. */
  total: number
  all: boolean
  /** Other settings are being read. */
  busy: boolean
}>()
const emit = defineEmits<{ cuts: [cuts: number[]]; failed: [error: unknown] }>()

const perPage = 100
/** Browsers draw no taller element than some 30 million pixels; beyond this the scroll bar stands for parts of the rows. */
const tallest = 12_000_000

/** Pages that were asked for and have not come yet. */
const asked = new Set<string>()
const pages = shallowRef(new Map<number, RowSeen[]>())
const below = shallowRef<LineSeen[]>([])
const tail = shallowRef<Window>()
const goal = ref<number>()
const marked = ref(0)
const failed = ref(false)
const waiting = ref(false)
const address = useAddress()
/** The text as delivered is shown where the address says so; text of fixed width, unless it says not to. */
const withRaw = computed({
  get: () => (address.of('text') === undefined ? layout.form === 'fixed' : address.of('text') === 'delivered'),
  set: (is) => address.swap({ text: is === (layout.form === 'fixed') ? undefined : is ? 'delivered' : 'none' }),
})
const strange = ref('')
const scroller = ref<HTMLElement>()
const probe = ref<HTMLElement>()
const character = ref(7.5)
const offset = ref(0)
const viewHeight = ref(500)

// A reading brings its first rows along; what was loaded before belongs to another.
watch(
  () => top,
  (now) => {
    pages.value = new Map([[0, now.rows]])
    below.value = now.below ?? []
    tail.value = undefined
    failed.value = false
    asked.clear()
    // The place that was looked at stays in sight, so that one sees what a setting does to it.
    void nextTick(scrolled)
  },
  { immediate: true },
)

/** Under the cells of delimited text stands the text itself; text of fixed width stands beside them, below the ruler. */
const hasUnder = computed(() => withRaw.value && layout.form === 'delimited')
const hasRaw = computed(() => withRaw.value && layout.form === 'fixed')
const rowHeight = computed(() => (hasUnder.value ? 48 : 26))

const above = computed(() => (tail.value ? [] : (top.above ?? [])))
/** Rows that there were a moment ago: until other settings have counted theirs, the place that is looked at stays. */
const held = ref(0)
const rowsNow = computed(() =>
  tail.value ? tail.value.rows.length : Math.max(total, top.rows.length, all ? 0 : held.value),
)
watch(
  rowsNow,
  (n) => {
    if (!tail.value) held.value = n
  },
  { immediate: true },
)
const underneath = computed(() => (tail.value ? (tail.value.below ?? []) : all ? below.value : []))
const entries = computed(() => above.value.length + rowsNow.value + underneath.value.length)

const height = computed(() => Math.min(entries.value * rowHeight.value, tallest))
const shownCount = computed(() => Math.ceil(viewHeight.value / rowHeight.value) + 2)
/** The first entry in sight. */
const firstShown = computed(() => {
  if (entries.value * rowHeight.value <= tallest) return Math.floor(offset.value / rowHeight.value)
  const last = Math.max(0, entries.value - Math.floor(viewHeight.value / rowHeight.value))
  return Math.min(last, Math.round((offset.value / Math.max(1, height.value - viewHeight.value)) * last))
})

interface Entry {
  key: string
  line?: LineSeen
  row?: RowSeen
  number: number
}

function entry(i: number): Entry {
  const up = above.value[i]
  if (up) return { key: `a${i}`, line: up, number: 0 }
  const n = i - above.value.length
  if (n < rowsNow.value) {
    const row = tail.value ? tail.value.rows[n] : pages.value.get(Math.floor(n / perPage))?.[n % perPage]
    return { key: `r${n}`, row, number: tail.value ? 0 : n + 1 }
  }
  return { key: `b${n}`, line: underneath.value[n - rowsNow.value], number: 0 }
}

const shown = computed(() => {
  const from = Math.max(0, Math.min(firstShown.value, entries.value - 1))
  return Array.from({ length: Math.min(shownCount.value, Math.max(0, entries.value - from)) }, (_, k) =>
    entry(from + k),
  )
})
const shift = computed(() =>
  entries.value * rowHeight.value <= tallest
    ? firstShown.value * rowHeight.value
    : Math.min(offset.value, Math.max(0, height.value - viewHeight.value)),
)

let timer = 0
function scrolled(): void {
  offset.value = scroller.value?.scrollTop ?? 0
  window.clearTimeout(timer)
  timer = window.setTimeout(() => void load(), 40)
}

/** Loads the pages in sight that are not there yet. */
async function load(): Promise<void> {
  if (tail.value || rowsNow.value === 0) return
  const first = Math.max(0, firstShown.value - above.value.length)
  const last = Math.min(rowsNow.value - 1, first + shownCount.value)
  for (let page = Math.floor(first / perPage); page <= Math.floor(last / perPage); page++) {
    const have = pages.value.get(page)
    const want = Math.min(perPage, rowsNow.value - page * perPage)
    if (have && have.length >= want) continue
    await fetchPage(page)
  }
}

async function fetchPage(page: number): Promise<void> {
  const mine = top
  const key = `${page}`
  if (asked.has(key)) return
  asked.add(key)
  try {
    const w = await answered(
      api.POST('/api/v1/deliveries/{id}/reading/rows', {
        params: { path: { id: delivery } },
        body: { layout: given, from: page * perPage + 1, limit: perPage },
      }),
    )
    if (mine !== top) return
    const next = new Map(pages.value)
    if (next.size > 200) next.clear() // what is far away can be read again
    next.set(page, w.rows)
    pages.value = next
    failed.value = false
    if (w.below) below.value = w.below
  } catch (e) {
    if (mine === top && !failed.value) {
      failed.value = true
      emit('failed', e)
    }
  } finally {
    asked.delete(key)
  }
}

function bring(index: number): void {
  const box = scroller.value
  if (!box) return
  const room = Math.floor(viewHeight.value / rowHeight.value)
  const from = Math.max(0, index - Math.floor(room / 3))
  box.scrollTop =
    entries.value * rowHeight.value <= tallest
      ? from * rowHeight.value
      : (from / Math.max(1, entries.value - room)) * (height.value - viewHeight.value)
}

/** Brings a row into sight, and marks it. */
async function goTo(row: number): Promise<void> {
  tail.value = undefined
  if (row > rowsNow.value && !all) {
    waiting.value = true
    await fetchPage(Math.floor((row - 1) / perPage)) // waits until the row is counted
    waiting.value = false
  }
  strange.value =
    all && row > rowsNow.value
      ? `There is no row ${count(row)}: the delivery has ${counted(rowsNow.value, 'row', 'rows')}.`
      : ''
  marked.value = Math.max(1, Math.min(row, rowsNow.value))
  if (address.of('row') !== String(marked.value)) address.swap({ row: marked.value })
  await nextTick()
  bring(above.value.length + marked.value - 1)
  scrolled()
}

async function last(): Promise<void> {
  if (all) return goTo(total)
  const mine = top
  try {
    const w = await answered(
      api.POST('/api/v1/deliveries/{id}/reading/rows', {
        params: { path: { id: delivery } },
        body: { layout: given, last: true, from: 1, limit: perPage },
      }),
    )
    if (mine !== top) return
    tail.value = w.rows[0]?.row === 0 ? w : undefined
    if (!tail.value) return
    await nextTick()
    bring(entries.value)
    scrolled()
  } catch (e) {
    emit('failed', e)
  }
}

function first(): void {
  tail.value = undefined
  marked.value = 0
  strange.value = ''
  address.swap({ row: undefined })
  if (scroller.value) scroller.value.scrollTop = 0
  scrolled()
}

watch(
  () => [total, all],
  () => {
    if (all && tail.value) void goTo(total)
    else scrolled()
    // Lines below the table are known once all rows are counted: they come with the last rows.
    if (all && total > 0 && below.value.length === 0) void fetchPage(Math.floor((total - 1) / perPage))
  },
  { immediate: true },
)

/** The rows grow and shrink with the text under them: what was at the top stays there, and what is new is read. */
watch([withRaw, rowHeight], async (_, [, before]) => {
  const box = scroller.value
  if (!box) return
  const top = before > 0 ? Math.floor(box.scrollTop / before) : 0
  await nextTick()
  if (entries.value * rowHeight.value <= tallest) box.scrollTop = top * rowHeight.value
  scrolled()
})

// Row and place stand in the address: a link or Back leads to them.
onMounted(() => {
  const row = Number(address.of('row'))
  if (address.of('row') === undefined) return
  if (Number.isInteger(row) && row > 0) void goTo(row)
  else strange.value = `“${address.of('row')}” is no row number.`
})
watch(
  () => address.of('row'),
  (row) => {
    if (row !== undefined && Number(row) > 0 && Number(row) !== marked.value) void goTo(Number(row))
  },
)

let sizes: ResizeObserver | undefined
onMounted(() => {
  character.value = (probe.value?.getBoundingClientRect().width ?? 75) / 10
  sizes = new ResizeObserver(() => {
    viewHeight.value = (scroller.value?.clientHeight ?? 500) - head.value
    scrolled()
  })
  if (scroller.value) sizes.observe(scroller.value)
})
onBeforeUnmount(() => {
  sizes?.disconnect()
  window.clearTimeout(timer)
})

const isFixed = computed(() => layout.form === 'fixed')
const head = computed(() => (isFixed.value && withRaw.value ? 52 : 27))
/** Columns beyond this many are shown in parts: a page of ten thousand columns helps nobody. */
const perPart = 100
const part = computed({
  get: () =>
    Math.max(
      0,
      Math.min(Math.ceil(columns.length / perPart) - 1, Math.floor(Number(address.of('columns')) || 1) - 1),
    ),
  set: (to) => address.swap({ columns: to > 0 ? to + 1 : undefined }),
})
const places = computed(() => {
  const most = Math.max(columns.length, ...top.rows.map((r) => r.cells.length))
  const from = part.value * perPart
  return Array.from({ length: Math.max(0, Math.min(perPart, most - from)) }, (_, i) => from + i)
})
const parts = computed(() => Math.ceil(columns.length / perPart))
const widths = computed(() =>
  places.value.map((k) => {
    const longest = Math.max(
      1.12 * (columns[k] ?? 'beyond the table').length,
      ...top.rows.slice(0, 60).map((r) => (r.cells[k] ?? '').length),
    )
    return Math.round(Math.max(52, Math.min(280, longest * 8.1 + 24)))
  }),
)
const rawLength = computed(() =>
  Math.max(20, ...top.rows.map((r) => r.raw?.length ?? 0), ...(top.above ?? []).map((l) => l.text.length)),
)
const rawWidth = computed(() => (rawLength.value + 2) * character.value + 16)
const full = computed(() => {
  const cells = widths.value.reduce((a, b) => a + b, 0)
  return 118 + (hasRaw.value ? rawWidth.value + cells : Math.max(cells, hasUnder.value ? rawWidth.value + 60 : 0))
})

const isNumber = (text: string): boolean => /^[-+]?(\d{1,3}([.,'\s\u00a0\u202f]\d{3})+|\d+)([.,]\d+)?$/.test(text)
/** Columns that mostly hold numbers are set to the right, their names too. */
const rights = computed(() => {
  const right = new Set<number>()
  for (const k of places.value) {
    const filled = top.rows.filter((r) => (r.cells[k] ?? '') !== '')
    const numbers = filled.filter((r) => (r.kinds ? r.kinds[k] === 'number' : isNumber(r.cells[k] ?? '')))
    if (numbers.length > 0 && 2 * numbers.length > filled.length) right.add(k)
  }
  return right
})
const kindWords: Record<string, string> = {
  number: 'number',
  boolean: 'true or false',
  date: 'date',
  time: 'time',
  dateTime: 'date and time',
  duration: 'duration',
  error: 'error',
  text: 'text',
}

function cellTitle(row: RowSeen, k: number): string {
  const wrong = (row.problems ?? []).filter((p) => p.cell === k + 1).map((p) => p.message)
  const kind = row.kinds?.[k]
  return (
    [...wrong, kind && row.cells[k] ? `stored as ${kindWords[kind]}` : ''].filter(Boolean).join('; ') ||
    row.cells[k] ||
    ''
  )
}
const rowTitle = (row: RowSeen): string => (row.problems ?? []).map((p) => p.message).join('; ')
const isWrong = (row: RowSeen, k: number): boolean => (row.problems ?? []).some((p) => p.cell === k + 1)
const lineWords: Record<string, string> = {
  skipped: 'left out',
  header: 'header',
  comment: 'comment',
  blank: 'blank',
  below: 'below',
}

defineExpose({ goTo, focus: () => scroller.value?.focus() })
</script>

<template>
  <div class="tools">
    <ElButton size="small" @click="first">First rows</ElButton>
    <ElButton size="small" @click="last">Last rows</ElButton>
    <span class="go">
      <label for="go-to-row">Row</label>
      <ElInputNumber
        id="go-to-row"
        v-model="goal"
        size="small"
        :min="1"
        :controls="false"
        class="goal"
        aria-label="Row to go to"
        @keydown.enter="goal && goTo(goal)"
      />
      <ElButton size="small" :disabled="!goal" :loading="waiting" @click="goal && goTo(goal)">Go</ElButton>
    </span>
    <ElSwitch
      v-if="layout.form !== 'workbook'"
      v-model="withRaw"
      active-text="Text as delivered"
      aria-label="Text as delivered"
    />
    <span v-if="parts > 1" class="go">
      <ElButton size="small" :disabled="part === 0" aria-label="Columns before" @click="part--">←</ElButton>
      columns {{ part * perPart + 1 }} to {{ Math.min(columns.length, (part + 1) * perPart) }} of
      {{ count(columns.length) }}
      <ElButton size="small" :disabled="part + 1 === parts" aria-label="Columns behind" @click="part++">→</ElButton>
    </span>
    <span class="soft counted" role="status"
      >{{ all ? counted(total, 'row', 'rows') : `${counted(total, 'row', 'rows')} counted so far…` }},
      {{ counted(columns.length, 'column', 'columns') }}</span
    >
  </div>
  <p v-if="strange" class="note" role="status">{{ strange }}</p>
  <p v-if="tail" class="note soft">The last rows; their numbers are known once all rows are counted.</p>
  <span ref="probe" class="probe mono" aria-hidden="true">0000000000</span>
  <div
    id="rows"
    ref="scroller"
    class="scroller"
    :class="{ busy }"
    role="region"
    aria-label="Rows"
    tabindex="0"
    @scroll.passive="scrolled"
  >
    <div
      class="inner"
      role="table"
      aria-label="Rows as they read"
      :aria-rowcount="entries"
      :style="{ width: `${full}px`, height: `${height + head}px` }"
    >
      <div class="head" role="row" :style="{ height: `${head}px` }">
        <span class="number place" role="columnheader">row</span>
        <span class="number place" role="columnheader">line</span>
        <span v-if="hasRaw" class="raw" role="columnheader" :style="{ width: `${rawWidth}px` }">
          <span class="rawname">as delivered</span>
          <CutRuler :cuts="layout.cuts" :width="rawLength" :character="character" @move="(c) => emit('cuts', c)" />
        </span>
        <span
          v-for="(k, i) in places"
          :key="k"
          role="columnheader"
          class="cell"
          :class="{ right: rights.has(k) }"
          :style="{ width: `${widths[i]}px` }"
          :title="columns[k]"
          >{{ columns[k] === undefined ? 'beyond the table' : visible(columns[k]) }}</span
        >
      </div>
      <div class="body" role="rowgroup" :style="{ transform: `translateY(${shift}px)` }">
        <div
          v-for="e in shown"
          :key="e.key"
          role="row"
          class="row"
          :style="{ height: `${rowHeight}px` }"
          :class="{
            apart: e.line,
            tall: hasUnder,
            marked: e.number > 0 && e.number === marked,
            wrongrow: e.row?.problems?.length,
          }"
        >
          <template v-if="e.line">
            <span class="place soft" role="cell">{{ lineWords[e.line.kind] }}</span>
            <span class="number place soft" role="cell">{{ e.line.line || '' }}</span>
            <span class="mono aparttext" role="cell"
              ><span v-for="(p, i) in pieces(e.line.text, layout)" :key="i" :class="p.kind">{{ p.text }}</span></span
            >
          </template>
          <template v-else-if="e.row">
            <span class="number place" role="cell" :title="rowTitle(e.row)"
              ><b v-if="e.row.problems?.length" class="bang" aria-label="has problems">!</b
              >{{ e.row.row ? count(e.row.row) : '…' }}</span
            >
            <span class="number place soft" role="cell">{{ e.row.line ? count(e.row.line) : '' }}</span>
            <span v-if="hasRaw" class="raw mono" role="cell" :style="{ width: `${rawWidth}px` }"
              ><span v-for="(p, i) in pieces(e.row.raw ?? '', layout)" :key="i" :class="p.kind">{{
                p.text
              }}</span></span
            >
            <span
              v-for="(k, i) in places"
              :key="k"
              role="cell"
              class="cell"
              :class="{ wrong: isWrong(e.row, k), right: rights.has(k), gone: k >= e.row.cells.length }"
              :style="{ width: `${widths[i]}px` }"
              :title="cellTitle(e.row, k)"
              >{{
                k < e.row.cells.length ? visible(e.row.cells[k] ?? '') : k < columns.length ? 'not there' : ''
              }}</span
            >
            <span v-if="hasUnder" class="under mono" role="cell"
              ><span v-for="(p, i) in pieces(e.row.raw ?? '', layout)" :key="i" :class="p.kind">{{
                p.text
              }}</span></span
            >
          </template>
          <template v-else>
            <span class="number place soft" role="cell">{{ e.number ? count(e.number) : '' }}</span>
            <span class="soft" role="cell">{{ failed ? 'could not be read' : 'reading…' }}</span>
          </template>
        </div>
      </div>
    </div>
  </div>
</template>

<style scoped>
.tools {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px 10px;
  padding: 8px 12px;
}

.tools .el-button + .el-button {
  margin-left: 0;
}

.go {
  display: inline-flex;
  align-items: center;
  gap: 6px;
}

.goal {
  width: 92px;
}

.counted {
  margin-left: auto;
}

.note {
  margin: 0 12px 8px;
}

.probe {
  position: absolute;
  visibility: hidden;
}

.mono {
  font:
    12.5px/25px 'DejaVu Sans Mono',
    'Noto Sans Mono',
    Consolas,
    monospace;
  white-space: pre;
}

.scroller {
  position: relative;
  overflow: auto;
  height: clamp(320px, calc(100vh - 300px), 900px);
  border-top: 1px solid var(--line);
  overflow-anchor: none;
}

.scroller.busy {
  opacity: 0.6;
}

.inner {
  position: relative;
  min-width: 100%;
}

.head {
  position: sticky;
  top: 0;
  z-index: 2;
  display: flex;
  background: var(--husk-wash);
  font-weight: 600;
  font-size: 13px;
  line-height: 26px;
}

.head .cell,
.head .place {
  align-self: flex-end;
}

.body {
  position: absolute;
  top: v-bind('`${head}px`');
  left: 0;
  right: 0;
  will-change: transform;
}

.row {
  position: relative;
  display: flex;
  font-size: 13px;
  line-height: 25px;
  border-bottom: 1px solid var(--line);
}

.place {
  flex: none;
  width: 59px;
  padding: 0 8px;
  overflow: hidden;
  white-space: nowrap;
}

/* The text as delivered, under the cells that it became. */
.under {
  position: absolute;
  top: 22px;
  left: 118px;
  padding-left: 10px;
  color: var(--soft);
}

.tall.apart .place,
.tall .aparttext {
  line-height: 46px;
}

.cell,
.raw {
  flex: none;
  padding: 0 10px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}

.row .raw,
.head .raw {
  border-left: 1px solid var(--line);
  border-right: 1px solid var(--line);
  padding: 0 8px;
}

.rawname {
  display: block;
  height: 26px;
}

.right {
  text-align: right;
}

.wrong {
  background: var(--rust-wash);
  box-shadow: inset 0 -2px 0 var(--rust);
  font-weight: 600;
}

.wrongrow .place:first-child {
  color: var(--rust);
  font-weight: 600;
}

.bang {
  margin-right: 4px;
}

.gone {
  color: var(--soft);
  font-style: italic;
}

.marked {
  background: var(--grain-wash);
  box-shadow: inset 3px 0 0 var(--grain);
}

.apart {
  background: var(--paper);
  color: var(--soft);
}

.aparttext {
  padding-left: 9px;
  overflow: hidden;
  text-overflow: ellipsis;
}

.delimiter,
.end,
.blank,
.odd {
  color: var(--grain);
}

.delimiter {
  background: var(--grain-wash);
  font-weight: 600;
  padding: 0 1px;
  border-radius: 2px;
}

.quote {
  color: var(--leaf);
  font-weight: 600;
}

.odd {
  color: var(--rust);
  font-size: 10px;
  border: 1px solid var(--rust);
  border-radius: 2px;
  padding: 0 2px;
}

.end {
  margin-left: 1px;
  font-size: 8px;
  letter-spacing: 0.02em;
}

@media (max-width: 1000px) {
  .scroller {
    height: clamp(150px, 34vh, 320px);
  }
}

.cut {
  display: inline-block;
  width: 0;
  height: 25px;
  vertical-align: top;
  box-shadow: 0 0 0 0.5px var(--rust);
}
</style>
