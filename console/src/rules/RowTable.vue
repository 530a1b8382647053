<script setup lang="ts">
/** Rows as delivered and as typed, those concerned first; the cell in question is marked. */
import { ElButton } from 'element-plus'
import { computed, onBeforeUnmount, ref, shallowRef, watch } from 'vue'
import { answered, api, type MadeRow, type MadeRows } from '../api/client'
import FailureNote from '../components/FailureNote.vue'
import { count, visible } from '../format'

const {
  delivery,
  state,
  whole = false,
  column = undefined,
  header = undefined,
  kind,
  value = undefined,
} = defineProps<{
  delivery: string
  /** Of the draft: with another one the rows end elsewhere. */
  state: number
  /** All rows are counted; before, the rows shown are among the first ones. */
  whole?: boolean
  /** The column at hand, and the delivery's column that feeds it. */
  column?: string
  header?: string
  /** Which rows: of the column at hand, or those that end on a side. */
  kind: string
  /** Only rows with this value in the column at hand. */
  value?: string
}>()
const emit = defineEmits<{ kind: [kind: string]; forget: [] }>()

const perPage = 12
const found = shallowRef<MadeRows>()
const error = ref<unknown>()
/** The rows behind which each page before begins. */
const behind = ref<number[]>([0])
let asking = new AbortController()

const kinds = computed(() => [
  ...(column
    ? [
        {
          key: 'column',
          label:
            value === undefined
              ? 'breaking its rules'
              : `with ${value === '' ? 'an empty cell' : `“${visible(value)}”`}`,
        },
      ]
    : []),
  { key: 'rejected', label: 'rejected' },
  { key: 'accepted', label: 'accepted' },
  { key: 'excluded', label: 'excluded' },
  { key: 'changed', label: 'changed sides' },
])

async function load(): Promise<void> {
  asking.abort()
  asking = new AbortController()
  const { signal } = asking
  error.value = undefined
  const isOfColumn = kind === 'column' && column !== undefined
  try {
    const rows = await answered(
      api.POST('/api/v1/deliveries/{id}/rehearsals/rows', {
        params: { path: { id: delivery } },
        body: {
          side: isOfColumn ? undefined : (kind as 'rejected'),
          column: isOfColumn ? column : undefined,
          value: isOfColumn ? value : undefined,
          columns: column ? [column] : undefined,
          behind: behind.value.at(-1) ?? 0,
          limit: perPage,
        },
        signal,
      }),
    )
    if (!signal.aborted) found.value = rows
  } catch (e) {
    if (!signal.aborted) error.value = e
  }
}

watch(
  () => [column, kind, value, state],
  () => {
    behind.value = [0]
  },
)
watch(
  () => [delivery, column, kind, value, state, whole, behind.value.at(-1), behind.value.length],
  () => void load(),
  { immediate: true },
)
onBeforeUnmount(() => asking.abort())

/** The delivery's column at hand stands first, then the others as they are in the file. */
const order = computed(() => {
  const all = (found.value?.header ?? []).map((name, i) => ({ name, i }))
  const first = all.filter((h) => h.name === header)
  return [...first, ...all.filter((h) => h.name !== header)].slice(0, 14)
})
const at = computed(() => (column ? (found.value?.columns ?? []).indexOf(column) : -1))
const wrongIn = (r: MadeRow): string =>
  (r.violations ?? [])
    .filter((v) => v.column === column || (v.column.startsWith('(') && v.column.includes(column ?? '\u0000')))
    .map((v) => v.message)
    .join('; ')
/** Violations of a row outside the column: the first ones, and all. */
function others(r: MadeRow): { few: string; all: string } {
  const mostShown = 2
  const all = (r.violations ?? [])
    .filter((v) => v.column !== column)
    .map((v) => `${v.column ? `${v.column}: ` : ''}${v.message}`)
  const more = all.length - mostShown
  return {
    few: all.slice(0, mostShown).join('; ') + (more > 0 ? ` … and ${count(more)} more` : ''),
    all: all.join('\n'),
  }
}
const next = (): void => {
  const last = found.value?.items.at(-1)?.row
  if (last) behind.value = [...behind.value, last]
}
const back = (): void => {
  behind.value = behind.value.slice(0, -1)
}
const nothing: Record<string, string> = {
  column: 'No row breaks a rule of this column.',
  rejected: 'No row is rejected.',
  accepted: 'No row is accepted.',
  excluded: 'No row is left out.',
  changed: 'No row has changed sides since the saved versions.',
}
</script>

<template>
  <section class="sheet" aria-label="Rows">
    <div class="head">
      <h2>Rows</h2>
      <button
        v-for="k in kinds"
        :key="k.key"
        type="button"
        class="link kind"
        :aria-pressed="k.key === kind"
        @click="emit('kind', k.key)"
      >
        {{ k.label }}
      </button>
      <button v-if="kind === 'column' && value !== undefined" type="button" class="link" @click="emit('forget')">
        all values
      </button>
      <span v-if="found && !found.whole" class="soft">of the first rows</span>
      <span class="pages">
        <ElButton size="small" :disabled="behind.length < 2" @click="back">Previous</ElButton>
        <ElButton size="small" :disabled="!found?.more" @click="next">Next</ElButton>
      </span>
    </div>
    <FailureNote v-if="error" :error="error" :retry="load" />
    <p v-if="found && found.items.length === 0" class="soft none">{{ nothing[kind] ?? 'No row.' }}</p>
    <div v-else-if="found" class="scroll" tabindex="0" role="region" aria-label="Rows as delivered and as typed">
      <table class="dense tight">
        <thead>
          <tr>
            <th class="number">row</th>
            <th class="number">line</th>
            <th>outcome</th>
            <template v-for="(h, k) in order" :key="h.i">
              <th :class="{ at: h.name === header }">{{ visible(h.name) }}</th>
              <th v-if="column && k === 0 && header" class="at">{{ visible(column) }}</th>
            </template>
            <th>other violations</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="r in found.items" :key="r.row">
            <td class="number">{{ count(r.row) }}</td>
            <td class="number soft">{{ count(r.line) }}</td>
            <td :class="r.side">
              {{ r.side }}<span v-if="r.was && r.was !== r.side" class="soft"> (was {{ r.was }})</span>
            </td>
            <template v-for="(h, k) in order" :key="h.i">
              <td
                :class="{
                  cell: h.name === header && wrongIn(r),
                  raw: true,
                  short: (r.cells[h.i] ?? '').length <= 24,
                }"
              >
                {{ visible(r.cells[h.i] ?? '') }}
              </td>
              <td
                v-if="column && k === 0 && header"
                :class="wrongIn(r) ? 'bad' : (r.values[at] ?? '') !== (r.cells[h.i] ?? '') ? 'made' : ''"
              >
                {{ wrongIn(r) || (r.values[at] === null ? 'no value' : visible(r.values[at] ?? '')) }}
              </td>
            </template>
            <td class="bad others">
              <span :title="others(r).all">{{ others(r).few }}</span><span v-if="r.reason" class="soft">{{
                r.reason
              }}</span>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
  </section>
</template>

<style scoped>
.head {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 4px 12px;
  padding: 8px 12px;
}

.kind[aria-pressed='true'] {
  color: var(--ink);
  font-weight: 600;
  text-decoration: none;
}

.pages {
  display: flex;
  gap: 6px;
  margin-left: auto;
}

.pages .el-button {
  margin: 0;
}

.scroll {
  overflow-x: auto;
}

th,
td {
  max-width: 260px;
  overflow-wrap: break-word;
}

th {
  font-weight: 600;
}

.raw {
  white-space: pre-wrap;
}

.raw.short {
  white-space: pre;
}

.cell {
  background: var(--rust-wash);
  border-bottom: 2px solid var(--rust);
}

.made {
  background: var(--leaf-wash);
  border-bottom: 2px solid var(--leaf);
}

.bad,
.rejected {
  color: var(--rust);
}

td.bad {
  min-width: 160px;
}

/* A row with many violations stays as low as the others. */
td.others > span:first-child {
  display: -webkit-box;
  -webkit-box-orient: vertical;
  -webkit-line-clamp: 2;
  min-width: 320px;
  overflow: hidden;
}

.none {
  margin: 0;
  padding: 4px 12px 10px;
}
</style>
