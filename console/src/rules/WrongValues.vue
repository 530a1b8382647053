<script setup lang="ts">
/** The values of a column that break its rules, each with its likely cures and what these do. */
import { ElButton, ElInput, ElPagination } from 'element-plus'
import { computed, onBeforeUnmount, ref, shallowRef, watch } from 'vue'
import { answered, api, type Step, type Suggestion, type Suggestions, type WrongValue } from '../api/client'
import { stream } from '../api/stream'
import FailureNote from '../components/FailureNote.vue'
import { count, counted, visible } from '../format'
import { meaning } from '../words'
import { remedyAdded, type ColumnSpec } from './model'
import CureButton from './CureButton.vue'
import { inWords } from './suggestions'

const {
  delivery,
  column,
  state,
  page,
  find = '',
  unfed = false,
  whole = false,
} = defineProps<{
  delivery: string
  column: ColumnSpec
  /** Of the draft: with another one the values are others. */
  state: number
  page: number
  find?: string
  /** No column of the file feeds it, nor anything else. */
  unfed?: boolean
  /** All rows are counted; before, what is told is of the first ones. */
  whole?: boolean
}>()
const emit = defineEmits<{
  change: [words: string, steps: Step[]]
  rows: [value: string]
  page: [page: number]
  find: [text: string]
}>()

const perPage = 12
const mostCures = 3
const values = shallowRef<WrongValue[]>()
const total = ref(0)
/** In so many rows the values were counted, where these are not all. */
const firstRows = ref(0)
/** Values that are accepted as they are, and told all the same. */
const flagged = shallowRef<WrongValue[]>([])
const suggestions = shallowRef<Suggestions>()
const error = ref<unknown>()
/** The value for which one is typed; it stays while the list is counted anew. */
const recoding = ref('')
const recodeTo = ref('')
let watching = new AbortController()

async function load(): Promise<void> {
  watching.abort()
  watching = new AbortController()
  const { signal } = watching
  error.value = undefined
  try {
    const found = await answered(
      api.POST('/api/v1/deliveries/{id}/rehearsals/values', {
        params: { path: { id: delivery } },
        body: { column: column.name, find, only: 'wrong', offset: (page - 1) * perPage, limit: perPage },
        signal,
      }),
    )
    const told = await answered(
      api.POST('/api/v1/deliveries/{id}/rehearsals/values', {
        params: { path: { id: delivery } },
        body: { column: column.name, find, only: 'flagged', limit: perPage },
        signal,
      }),
    )
    if (signal.aborted) return
    values.value = found.items
    total.value = found.total
    firstRows.value = found.whole ? 0 : found.rows
    flagged.value = told.items
    if (found.items.length === 0) {
      suggestions.value = undefined
      return
    }
    await stream<Suggestions>(
      `/api/v1/deliveries/${delivery}/rehearsals/suggestions`,
      { column: column.name, values: found.items.map((v) => v.value) },
      (s) => {
        if (!signal.aborted) suggestions.value = s
      },
      signal,
    )
  } catch (e) {
    if (!signal.aborted) error.value = e
  }
}

watch(
  () => column.name,
  () => {
    values.value = suggestions.value = undefined
    flagged.value = []
    recoding.value = ''
  },
)
watch(
  () => [delivery, column.name, state, page, find, whole],
  () => void load(),
  { immediate: true },
)
onBeforeUnmount(() => watching.abort())

const isOf = (s: Suggestion, v: WrongValue): boolean =>
  (s.code === '' || s.code === undefined || s.code === v.code || s.code.split('.')[0] === v.code.split('.')[0]) &&
  (!s.values || s.values.length === 0 || s.values.includes(v.value))

/** What mends more than one of the values. */
const forAll = computed(() =>
  (suggestions.value?.items ?? [])
    .filter((s) => (s.values?.length ?? 0) !== 1 && s.cells > 1 && s.kind !== 'pair')
    .slice(0, 5),
)

/** The likely cures of a value: those for it alone first. */
function curesOf(v: WrongValue): Suggestion[] {
  const all = (suggestions.value?.items ?? []).filter((s) => isOf(s, v))
  const own = all.filter((s) => s.values?.length === 1)
  const others =
    total.value > 1
      ? all.filter((s) => s.values?.length !== 1 && s.kind !== 'missing' && s.kind !== 'recode')
      : all.filter((s) => s.values?.length !== 1)
  return [...own, ...others].slice(0, mostCures)
}

function startRecoding(v: WrongValue): void {
  recoding.value = recoding.value === v.value ? '' : v.value
  recodeTo.value = ''
}

function recode(): void {
  const value = recoding.value
  if (!value) return
  emit('change', `${column.name}: recode “${value}” to “${recodeTo.value}”`, [
    remedyAdded(column, { recode: { [value]: recodeTo.value } }),
  ])
}
// What is refused stays as it was typed, also while others change the draft; what is mended is gone.
watch(values, (now) => {
  if (now && !now.some((v) => v.value === recoding.value)) recoding.value = ''
})

const heading = computed(() => {
  if (!values.value) return 'looking …'
  if (total.value === 0) return find ? 'none with this text' : unfed ? 'nothing feeds the column' : 'all fit'
  const first = firstRows.value > 0 ? ` in the first ${counted(firstRows.value, 'row', 'rows')}` : ''
  return counted(total.value, 'value', 'values') + first
})
</script>

<template>
  <section class="sheet" aria-label="Values that do not fit">
    <div class="head">
      <h2>Values that do not fit</h2>
      <span class="soft" role="status"
        >{{ heading
        }}<template v-if="total > 0 && suggestions && !suggestions.done"
          >; trying cures on all rows, {{ suggestions.tried }} of {{ suggestions.total }}</template
        ><template v-else-if="total > 0 && !suggestions">; looking for cures …</template
        ><template v-else-if="total > 0">; each cure was tried on all rows</template></span
      >
      <ElInput
        v-if="total > perPage || find"
        size="small"
        :model-modifiers="{ lazy: true }"
        :model-value="find"
        clearable
        placeholder="Text in the value"
        aria-label="Search values"
        class="find"
        @change="(t: string) => emit('find', t)"
      />
    </div>
    <FailureNote v-if="error" :error="error" :retry="load" />
    <p v-if="forAll.length > 0" class="all">
      <span class="soft">for several at once</span>
      <CureButton
        v-for="s in forAll"
        :key="s.id"
        :suggestion="s"
        @take="(as) => emit('change', inWords(as), as.steps)"
      />
    </p>
    <table v-if="total > 0">
      <tbody>
        <tr v-for="v in values" :key="v.code + v.value">
          <td class="value">
            <button
              type="button"
              class="cell"
              :title="`Show the rows with ${v.value === '' ? 'an empty cell' : v.value}`"
              @click="emit('rows', v.value)"
            >
              {{ v.value === '' ? 'empty' : visible(v.value) }}
            </button>
          </td>
          <td class="number">{{ count(v.count) }}</td>
          <td class="why" :title="v.message">
            {{ meaning(v.code)
            }}<span v-if="v.action !== 'reject'" class="soft"
              >, {{ v.action === 'blank' ? 'blanked' : 'refused' }}</span
            >
          </td>
          <td>
            <div class="cures">
              <CureButton
                v-for="s in curesOf(v)"
                :key="s.id"
                :suggestion="s"
                @take="(as) => emit('change', inWords(as), as.steps)"
              />
              <ElButton
                v-if="v.value !== ''"
                size="small"
                :aria-expanded="recoding === v.value"
                @click="startRecoding(v)"
                >recode…</ElButton
              >
              <form v-if="recoding === v.value" class="recode" @submit.prevent="recode" @keydown.esc="recoding = ''">
                <ElInput
                  v-model="recodeTo"
                  size="small"
                  placeholder="what it is meant to be; nothing: no value"
                  :aria-label="`Recode ${v.value} to`"
                />
                <ElButton size="small" native-type="submit" type="primary">Recode</ElButton>
              </form>
            </div>
          </td>
        </tr>
      </tbody>
    </table>
    <ElPagination
      v-if="total > perPage"
      size="small"
      layout="prev, pager, next"
      :total="total"
      :page-size="perPage"
      :current-page="page"
      class="pages"
      @current-change="(p: number) => emit('page', p)"
    />
    <details v-if="flagged.length > 0" class="flagged">
      <summary>
        Accepted as they are, and flagged:
        {{
          flagged
            .map((v) => visible(v.value))
            .slice(0, 3)
            .join(', ')
        }}{{ flagged.length > 3 ? ' …' : '' }}
      </summary>
      <ul>
        <li v-for="v in flagged" :key="v.code + v.value">
          <button type="button" class="link" @click="emit('rows', v.value)">{{ visible(v.value) }}</button>
          {{ counted(v.count, 'row', 'rows') }}: {{ v.message }}
        </li>
      </ul>
    </details>
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

.find {
  width: 180px;
  margin-left: auto;
}

.all {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px;
  margin: 0;
  padding: 4px 12px 8px;
}

table {
  width: 100%;
  border-collapse: collapse;
  font-size: 13px;
}

td {
  padding: 3px 10px;
  border-top: 1px solid var(--line);
  vertical-align: top;
}

.value {
  min-width: 88px;
  max-width: 220px;
}

.cell {
  max-width: 100%;
  padding: 0 3px;
  border: 0;
  border-bottom: 2px solid var(--rust);
  background: var(--rust-wash);
  color: var(--ink);
  font: inherit;
  text-align: left;
  overflow-wrap: anywhere;
  cursor: pointer;
}

.why {
  width: 180px;
}

.cures {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 6px;
}

.cures .el-button {
  margin: 0;
}

.recode {
  display: flex;
  gap: 6px;
  width: 100%;
}

.pages {
  padding: 6px 12px;
}

.flagged {
  padding: 6px 12px;
  border-top: 1px solid var(--line);
  font-size: 13px;
}

.flagged ul {
  margin: 4px 0;
  padding-left: 18px;
}

@media (max-width: 760px) {
  tr {
    display: grid;
    grid-template-columns: minmax(0, 1fr) auto;
    border-top: 1px solid var(--line);
  }

  td {
    border: 0;
  }

  .why,
  td:last-child {
    grid-column: 1 / -1;
    width: auto;
  }
}
</style>
