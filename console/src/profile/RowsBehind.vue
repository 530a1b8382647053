<script setup lang="ts">
/** The rows behind values, from the whole delivery, by filters that can be combined. */
import { ElButton, ElInput, ElOption, ElSelect } from 'element-plus'
import { computed, nextTick, onBeforeUnmount, onMounted, ref, useTemplateRef, watch } from 'vue'
import { answered, api, type ColumnProfile, type Filter, type Profile, type RowSeen } from '../api/client'
import { count, counted, visible } from '../format'
import FoundCures from '../rules/FoundCures.vue'
import type { FoundCures as FoundCuresBook } from '../rules/found'
import { needsValue, ops, say, usual } from './filters'

const { delivery, profile, filters, cures } = defineProps<{
  delivery: string
  profile: Profile
  filters: Filter[]
  cures: FoundCuresBook
}>()
const emit = defineEmits<{ filters: [filters: Filter[]]; failed: [error: unknown] }>()

const rows = ref<RowSeen[]>([])
const all = ref(false)
const total = ref<number>()
const busy = ref(false)
let latest = 0

const path = computed(() => ({ params: { path: { id: delivery } } }))

/** Looks for the next rows; from the top where the filters have changed. */
async function find(more: boolean): Promise<void> {
  const mine = more ? latest : ++latest
  busy.value = true
  try {
    const behind = more ? (rows.value[rows.value.length - 1]?.row ?? 0) : 0
    const found = await answered(
      api.POST('/api/v1/deliveries/{id}/profile/rows', { ...path.value, body: { filters, behind, limit: 50 } }),
    )
    if (mine !== latest) return
    rows.value = more ? [...rows.value, ...found.rows] : found.rows
    all.value = found.all
    if (!more) {
      void tally(mine)
      void bringIntoSight()
    }
  } catch (e) {
    if (mine === latest) emit('failed', e)
  } finally {
    if (mine === latest) busy.value = false
  }
}

const panel = useTemplateRef<HTMLElement>('panel')
// What is focused behind the panel scrolls out from under it.
onMounted(() => {
  document.documentElement.style.scrollPaddingBottom = '50vh'
  panel.value?.focus({ preventScroll: true })
})
onBeforeUnmount(() => (document.documentElement.style.scrollPaddingBottom = ''))

const table = useTemplateRef<HTMLElement>('table')

/** Moves the first column that a filter is on to where it is seen, behind the numbers. */
async function bringIntoSight(): Promise<void> {
  await nextTick()
  const [first, numbers] = [
    table.value?.querySelector<HTMLElement>('th.marked'),
    table.value?.querySelector<HTMLElement>('th.n.last'),
  ]
  if (!table.value || !first || !numbers) return
  const isSeen = first.offsetLeft + first.offsetWidth <= table.value.clientWidth
  table.value.scrollLeft = isSeen ? 0 : first.offsetLeft - numbers.offsetLeft - numbers.offsetWidth - 40
}

async function tally(mine: number): Promise<void> {
  total.value = undefined
  try {
    const found = await answered(
      api.POST('/api/v1/deliveries/{id}/profile/rows', { ...path.value, body: { filters, limit: 1, count: true } }),
    )
    if (mine === latest) total.value = found.count
  } catch (e) {
    if (mine === latest) emit('failed', e)
  }
}

watch(
  () => JSON.stringify(filters),
  () => void find(false),
  { immediate: true },
)

const column = ref('')
const op = ref<Filter['op']>('contains')
const value = ref('')
const to = ref('')
function add(): void {
  emit('filters', [
    ...filters,
    {
      column: column.value || (profile.columns[0]?.name ?? ''),
      op: op.value,
      value: needsValue(op.value) ? value.value : undefined,
      to: op.value === 'between' ? to.value : undefined,
    },
  ])
  value.value = to.value = ''
}
const isNumber = (c?: ColumnProfile): boolean =>
  c !== undefined && ['integer', 'decimal', 'double'].includes(c.datatype)
const marked = computed(() => new Set(filters.flatMap((f) => [f.column ?? '', ...(f.columns ?? [])])))
</script>

<template>
  <section
    ref="panel"
    class="sheet behind"
    aria-label="Rows"
    :class="{ busy }"
    tabindex="-1"
    @keydown.esc="emit('filters', [])"
  >
    <div class="head">
      <h2>Rows</h2>
      <span role="status" class="soft">{{ total === undefined ? 'counting …' : counted(total, 'row', 'rows') }}</span>
      <FoundCures :filters="filters" :rows="total" :cures="cures" />
      <ElButton size="small" @click="emit('filters', [])">Close</ElButton>
    </div>
    <ul class="chips" aria-label="Filters">
      <li v-for="(f, i) in filters" :key="i">
        {{ say(f) }}
        <button
          type="button"
          :aria-label="`Take away: ${say(f)}`"
          @click="
            emit(
              'filters',
              filters.filter((_, k) => k !== i),
            )
          "
        >
          ×
        </button>
      </li>
    </ul>
    <form class="add" @submit.prevent="add">
      <ElSelect
        v-model="column"
        size="small"
        filterable
        :placeholder="profile.columns[0]?.name"
        aria-label="Column of the filter"
        ><ElOption v-for="c in profile.columns" :key="c.name" :value="c.name" :label="c.name"
      /></ElSelect>
      <ElSelect v-model="op" size="small" aria-label="Condition of the filter"
        ><ElOption v-for="o in usual" :key="o" :value="o" :label="ops[o]"
      /></ElSelect>
      <ElInput
        v-if="needsValue(op)"
        v-model="value"
        size="small"
        placeholder="value"
        aria-label="Value of the filter"
      />
      <ElInput
        v-if="op === 'between'"
        v-model="to"
        size="small"
        placeholder="last value"
        aria-label="Last value of the filter"
      />
      <ElButton size="small" native-type="submit">Add filter</ElButton>
    </form>
    <div
      v-if="rows.length > 0"
      ref="table"
      class="table"
      tabindex="0"
      role="region"
      aria-label="Rows of the delivery"
    >
      <table>
        <thead>
          <tr>
            <th class="n">row</th>
            <th class="n last">line</th>
            <th
              v-for="c in profile.columns"
              :key="c.name"
              :class="{ marked: marked.has(c.name), right: isNumber(c) }"
            >
              {{ visible(c.name) }}
            </th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="r in rows" :key="r.row">
            <td class="n">{{ count(r.row) }}</td>
            <td class="n last">{{ count(r.line) }}</td>
            <td
              v-for="(c, k) in r.cells"
              :key="k"
              :class="{ marked: marked.has(profile.columns[k]?.name ?? ''), right: isNumber(profile.columns[k]) }"
            >
              {{ visible(c) }}
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <p v-else-if="!busy && total === 0" class="soft none">No row of the delivery is like this.</p>
    <ElButton v-if="!all && rows.length > 0" size="small" class="more" :disabled="busy" @click="find(true)"
      >More rows</ElButton
    >
  </section>
</template>

<style scoped>
/* The rows stay in sight while another value is chosen. */
.behind {
  position: sticky;
  bottom: 0;
  margin-top: 14px;
  padding: 10px 12px;
  max-height: 48vh;
  overflow: auto;
  border-top: 3px solid var(--grain);
}

.busy {
  cursor: progress;
}

.head,
.add,
.chips {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: baseline;
}

.chips {
  list-style: none;
  margin: 8px 0;
  padding: 0;
}

.chips li {
  padding: 1px 4px 1px 10px;
  border: 1px solid var(--grain);
  border-radius: 3px;
  background: var(--grain-wash);
  font-size: 13px;
  max-width: 100%;
  overflow-wrap: anywhere;
}

.chips button {
  border: 0;
  background: none;
  color: var(--ink);
  cursor: pointer;
  font-size: 15px;
}

.add {
  align-items: center;
}

.add > :deep(*) {
  width: 170px;
}

.add > .el-button {
  width: auto;
}

.table {
  margin-top: 10px;
  max-height: 26vh;
  overflow: auto;
  border: 1px solid var(--line);
}

table {
  border-collapse: separate;
  border-spacing: 0;
  font-size: 13px;
}

th {
  position: sticky;
  top: 0;
  background: var(--husk-wash);
  text-align: left;
}

th,
td {
  padding: 3px 8px;
  border-bottom: 1px solid var(--line);
  max-width: 260px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: pre;
}

/* The rows' numbers stay where they are when the cells move. */
.n {
  text-align: right;
  color: var(--soft);
  position: sticky;
  left: 0;
  width: 7em;
  min-width: 7em;
  box-sizing: border-box;
  background: var(--sheet);
}

th.n {
  z-index: 1;
  background: var(--husk-wash);
}

.n.last {
  left: 7em;
}

.right {
  text-align: right;
}

td.marked {
  background: var(--grain-wash);
}

.none,
.more {
  margin: 10px 0 0;
}
</style>
