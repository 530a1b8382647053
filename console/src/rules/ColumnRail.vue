<script setup lang="ts">
/** The target's columns with what feeds them and how many rows fit; below, what feeds none, and what concerns rows. */
import { ElButton, ElCheckbox, ElInput } from 'element-plus'
import { computed, nextTick, ref, useTemplateRef, watch } from 'vue'
import type { Rehearsal, Suggestion } from '../api/client'
import { count, visible } from '../format'
import { datatypeWord } from './fields'
import { datatypeOf, feedOf, isSameHeader, type ColumnSpec } from './model'
import type { Part } from './parts'

const {
  columns,
  rehearsal = undefined,
  chosen = undefined,
  parts,
  part = undefined,
  pairs,
  leftOut,
  picked,
  samples,
} = defineProps<{
  columns: ColumnSpec[]
  rehearsal?: Rehearsal
  chosen?: string
  /** What concerns rows rather than a column. */
  parts: Part[]
  part?: string
  /** What might feed columns that nothing feeds. */
  pairs: Suggestion[]
  leftOut: string[]
  /** Columns that are chosen to be changed together. */
  picked: string[]
  /** The first values of the delivery's columns. */
  samples: Map<string, string>
}>()
const emit = defineEmits<{
  choose: [column: string]
  part: [part: string]
  pair: [suggestions: Suggestion[]]
  feed: [column: string, header: string]
  leave: [header: string, on: boolean]
  pick: [columns: string[]]
  add: [header: string]
}>()

const word = ref('')
const order = ref<'worst' | 'table'>('worst')
const isPicking = ref(false)
const list = useTemplateRef<HTMLElement>('list')
/** From so many columns on a search helps. */
const many = 12

const fits = computed(() => new Map((rehearsal?.columns ?? []).map((c) => [c.column, c])))
const header = computed(() => rehearsal?.header ?? [])
const judged = computed(() => Math.max(0, (rehearsal?.tally.read ?? 0) - (rehearsal?.tally.excluded ?? 0)))

const items = computed(() => {
  const w = word.value.trim().toLowerCase()
  const all = columns
    .map((c) => {
      const fit = fits.value.get(c.name)
      const feed = feedOf(c)
      const pair = pairs.find((p) => p.column === c.name)
      const text =
        feed.kind === 'value'
          ? feed.text === ''
            ? 'no value'
            : `“${feed.text}”`
          : feed.kind === 'derive'
            ? feed.text
            : (fit?.header ?? '')
      const isUnfed = feed.kind === 'header' && rehearsal !== undefined && !fit?.place
      return {
        column: c,
        name: c.name,
        text,
        sign: feed.kind === 'header' ? '←' : '=',
        isUnfed,
        isEmpty: feed.kind === 'value' && feed.text === '',
        pair,
        wrong: fit?.wrong ?? 0,
        words: [datatypeWord(datatypeOf(c)), ...c.words].join(', '),
      }
    })
    .filter((i) => `${i.name} ${i.text} ${i.words}`.toLowerCase().includes(w))
  // What is worst stands first; sorting keeps the table's order otherwise.
  return order.value === 'worst'
    ? all.sort(
        (a, b) =>
          Number(b.isUnfed && b.column.demands.required === true) -
            Number(a.isUnfed && a.column.demands.required === true) || b.wrong - a.wrong,
      )
    : all
})

const fed = computed(() => new Set((rehearsal?.columns ?? []).map((c) => c.place)))
/** Columns of the delivery that feed none. */
const unpaired = computed(() =>
  rehearsal ? header.value.map((name, i) => ({ name, place: i + 1 })).filter((h) => !fed.value.has(h.place)) : [],
)
const isLeftOut = (name: string): boolean => leftOut.some((l) => isSameHeader(l, name))

const dragged = ref('')
const over = ref('')

function drop(column: string): void {
  if (dragged.value) emit('feed', column, dragged.value)
  dragged.value = over.value = ''
}

function pick(name: string, on: boolean): void {
  emit('pick', on ? [...picked, name] : picked.filter((n) => n !== name))
}

function togglePicking(): void {
  isPicking.value = !isPicking.value
  if (!isPicking.value) emit('pick', [])
}

/** Arrow keys go from column to column. */
function onKey(e: KeyboardEvent): void {
  const by = { ArrowDown: 1, ArrowUp: -1 }[e.key]
  if (!by) return
  const buttons = [...(list.value?.querySelectorAll<HTMLButtonElement>('button.column') ?? [])]
  const at = buttons.indexOf(document.activeElement as HTMLButtonElement)
  const next = buttons[at + by]
  if (at < 0 || !next) return
  e.preventDefault()
  next.focus()
  next.click()
}

watch(
  () => chosen,
  async () => {
    await nextTick()
    list.value?.querySelector('[aria-current="true"]')?.scrollIntoView({ block: 'nearest' })
  },
  { immediate: true },
)
</script>

<template>
  <section class="sheet rail" aria-label="Columns of the target">
    <div class="head">
      <h2>Columns</h2>
      <button type="button" class="link" @click="order = order === 'worst' ? 'table' : 'worst'">
        {{ order === 'worst' ? 'worst first' : 'in the table’s order' }}
      </button>
      <button type="button" class="link last" @click="togglePicking">
        {{ isPicking ? 'done' : 'select several' }}
      </button>
    </div>
    <ElInput
      v-if="columns.length > many"
      v-model="word"
      size="small"
      clearable
      placeholder="Column, header or rule"
      aria-label="Search columns"
      class="search"
    />
    <div v-if="isPicking" class="picking">
      <button
        type="button"
        class="link"
        @click="
          emit(
            'pick',
            items.map((i) => i.name),
          )
        "
      >
        all {{ count(items.length) }}
      </button>
      <button type="button" class="link" @click="emit('pick', [])">none</button>
    </div>
    <p v-if="pairs.length > 0" class="pairs">
      <ElButton size="small" @click="emit('pair', pairs)">Pair all {{ pairs.length }} that are likely</ElButton>
    </p>
    <ul ref="list" class="list" @keydown="onKey">
      <li
        v-for="i in items"
        :key="i.name"
        :class="{ here: i.name === chosen, over: over === i.name, many: items.length > 200 }"
        @dragover.prevent="over = i.name"
        @dragleave="over = ''"
        @drop.prevent="drop(i.name)"
      >
        <ElCheckbox
          v-if="isPicking"
          :model-value="picked.includes(i.name)"
          :aria-label="`Select ${i.name}`"
          @change="(on) => pick(i.name, Boolean(on))"
        />
        <button type="button" class="column" :aria-current="i.name === chosen" @click="emit('choose', i.name)">
          <span class="name"
            ><b>{{ visible(i.name) }}</b>
            <span v-if="i.text" :class="i.isEmpty ? 'unfed' : 'soft'">{{ i.sign }} {{ visible(i.text) }}</span
            ><span v-else-if="i.isUnfed" class="unfed">nothing feeds it</span></span
          >
          <span class="wrong" :class="{ bad: i.wrong > 0 }">{{
            i.wrong > 0 ? `${count(i.wrong)} of ${count(judged)}` : i.isUnfed ? '' : 'all fit'
          }}</span>
          <span class="soft rule" :title="i.words">{{ i.words }}</span>
          <span v-if="!i.isUnfed && judged > 0" class="bar" aria-hidden="true"
            ><i :style="{ width: `${Math.floor((100 * (judged - i.wrong)) / judged)}%` }"></i
          ></span>
        </button>
        <button v-if="i.pair" type="button" class="cure pair" :title="i.pair.words" @click="emit('pair', [i.pair])">
          pair {{ i.pair.words.replace(/^take .* from /, '').replace(/:.*/, '') }}
        </button>
      </li>
      <li v-if="items.length === 0" class="soft none">No column fits the search.</li>
    </ul>
    <div v-if="unpaired.length > 0" class="below">
      <h3>Not taken from the file</h3>
      <p class="soft hint">Drag one to a column that it feeds, or leave it out.</p>
      <span
        v-for="h in unpaired"
        :key="h.place"
        class="chip"
        :class="{ left: isLeftOut(h.name) }"
        draggable="true"
        @dragstart="dragged = h.name"
        @dragend="dragged = over = ''"
      >
        <span :title="samples.get(h.name)">{{ visible(h.name) }}</span>
        <span v-if="samples.get(h.name)" class="soft such">{{ samples.get(h.name) }}</span>
        <button
          type="button"
          class="link"
          :aria-label="isLeftOut(h.name) ? `${h.name} is left out` : `leave out ${h.name}`"
          :aria-pressed="isLeftOut(h.name)"
          :title="
            isLeftOut(h.name)
              ? 'left out on purpose; click to be asked again'
              : 'leave it out on purpose: it is flagged no more'
          "
          @click="emit('leave', h.name, !isLeftOut(h.name))"
        >
          {{ isLeftOut(h.name) ? 'left out' : 'leave out' }}
        </button>
        <button
          v-if="!isLeftOut(h.name)"
          type="button"
          class="link"
          :aria-label="`add a column for ${h.name}`"
          title="add a column to the target that it feeds"
          @click="emit('add', h.name)"
        >
          add
        </button>
      </span>
    </div>
    <div class="below">
      <h3>Over rows</h3>
      <button
        v-for="p in parts"
        :key="p.key"
        type="button"
        class="over"
        :aria-current="p.key === part"
        @click="emit('part', p.key)"
      >
        <span>{{ p.label }}</span><span :class="{ bad: p.isBad, soft: !p.isBad }">{{ p.state }}</span>
      </button>
    </div>
  </section>
</template>

<style scoped>
.rail {
  display: flex;
  flex-direction: column;
  min-height: 0;
}

.head {
  display: flex;
  align-items: baseline;
  gap: 10px;
  padding: 8px 10px;
}

.last {
  margin-left: auto;
}

.search,
.pairs,
.picking {
  padding: 0 10px 8px;
  margin: 0;
}

.picking {
  display: flex;
  gap: 12px;
}

.list {
  list-style: none;
  margin: 0;
  padding: 0;
  overflow-y: auto;
  min-height: 120px;
}

li {
  display: flex;
  align-items: center;
  flex-wrap: wrap;
  padding-right: 4px;
  border-top: 1px solid var(--line);
}

/* What is out of sight of a very wide target is not laid out. */
li.many {
  content-visibility: auto;
  contain-intrinsic-size: auto 48px;
}

li.here {
  background: var(--grain-wash);
  box-shadow: inset 3px 0 var(--grain);
}

li.over {
  outline: 2px dashed var(--grain);
  outline-offset: -2px;
}

li .el-checkbox {
  margin-left: 10px;
}

button.column {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(96px, auto);
  flex: 1 1 60%; /* a long pair stands below */
  min-width: 0;
  gap: 0 8px;
  padding: 5px 8px 5px 10px;
  border: 0;
  background: none;
  color: inherit;
  font: inherit;
  font-size: 13px;
  text-align: left;
  cursor: pointer;
}

/* What feeds nothing says so in full, with its likely pair below. */
li:has(> .pair) button.column {
  flex-basis: 100%;
}

.name,
.rule {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}

.wrong {
  text-align: right;
  white-space: nowrap;
}

.bad,
.unfed {
  color: var(--rust);
}

.bar {
  justify-self: end;
  width: 96px;
  height: 7px;
  margin-top: 6px;
  background: var(--rust);
  border-radius: 2px;
  overflow: hidden;
}

.bar i {
  display: block;
  height: 7px;
  background: var(--leaf);
}

.pair {
  margin: 0 6px 5px 10px;
  max-width: calc(100% - 20px);
}

.below {
  padding: 8px 10px;
  border-top: 1px solid var(--line);
}

h3 {
  font-size: 13.5px;
}

.hint {
  margin: 2px 0 4px;
  font-size: 12.5px;
}

.chip {
  display: inline-flex;
  gap: 6px;
  margin: 2px 4px 2px 0;
  padding: 1px 7px;
  background: var(--husk-wash);
  border-radius: 3px;
  font-size: 12.5px;
  cursor: grab;
  overflow-wrap: anywhere;
}

.such {
  max-width: 130px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}

.chip.left > span:first-child {
  text-decoration: line-through;
}

button.over {
  display: flex;
  justify-content: space-between;
  gap: 10px;
  width: 100%;
  padding: 3px 4px;
  border: 0;
  border-radius: 3px;
  background: none;
  color: inherit;
  font: inherit;
  font-size: 13px;
  text-align: left;
  cursor: pointer;
}

button.over:hover,
button.over[aria-current='true'] {
  background: var(--grain-wash);
}

.none {
  padding: 8px 10px;
}
</style>
