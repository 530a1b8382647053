<script setup lang="ts">
import { ElPagination, ElSkeleton, ElSwitch } from 'element-plus'
import { computed } from 'vue'
import { useAddress } from '../address'
import { answered, api, type Reject, type Rejects, type Run } from '../api/client'
import { count, counted, visible } from '../format'
import { useLoaded } from '../loaded'
import FailureNote from '../components/FailureNote.vue'
import type { Choice } from './ViolationList.vue'

const { run, choice = undefined } = defineProps<{ run: Run; choice?: Choice }>()

const perPage = 50
const address = useAddress()
const page = computed(() => address.page())
/** From so many columns on those in question would often lie outside of the window. */
const wide = 8
/** Whether only columns in question are shown; without a word in the address, where there are many. */
const narrow = computed({
  get: () =>
    address.of('columns') === undefined ? (found.value?.columns.length ?? 0) > wide : address.of('columns') === 'few',
  set: (is) => address.swap({ columns: is ? 'few' : 'all' }),
})
const { found, error, load } = useLoaded<Rejects>(
  () => [run.id, choice, page.value],
  () => {
    const query = {
      offset: (page.value - 1) * perPage,
      limit: perPage,
      column: choice?.column || undefined,
      code: choice?.code,
    }
    return answered(api.GET('/api/v1/runs/{id}/rejects', { params: { path: { id: run.id }, query } }))
  },
)

/** The places in the delivery of a violation's column, from 0; of a key there may be several. */
function placesOf(column: string): number[] {
  const names = run.columns?.some((c) => c.column === column) ? [column] : column.split(', ')
  return names.flatMap((name) => {
    const match = run.columns?.find((c) => c.column === name)
    if (match) return match.place > 0 ? [match.place - 1] : []
    const header = found.value?.columns.indexOf(name) ?? -1
    return header >= 0 ? [header] : []
  })
}

interface Line {
  reject: Reject
  wrong: Map<number, string>
}

const lines = computed<Line[]>(() =>
  (found.value?.items ?? []).map((reject) => {
    const wrong = new Map<number, string>()
    for (const v of reject.violations) {
      for (const place of placesOf(v.column))
        wrong.set(place, [wrong.get(place), v.message].filter(Boolean).join('; '))
    }
    return { reject, wrong }
  }),
)

/**
 * The columns shown: the first, which mostly names the row, and those in question, or all. A row with too many cells
 * has more than the delivery has columns.
 */
const places = computed(() => {
  const width = Math.max(found.value?.columns.length ?? 0, ...lines.value.map((l) => l.reject.cells.length))
  const all = Array.from({ length: width }, (_, i) => i)
  const inQuestion = all.filter((i) => i === 0 || lines.value.some((l) => l.wrong.has(i)))
  return narrow.value && inQuestion.length > 1 ? inQuestion : all
})
</script>

<template>
  <div class="head">
    <h2>Rejected rows</h2>
    <span v-if="found" class="soft">
      {{ counted(found.total, 'row', 'rows')
      }}<template v-if="choice">
        with {{ choice.code }}<template v-if="choice.column"> in {{ choice.column }}</template></template
      >
    </span>
    <ElSwitch
      v-model="narrow"
      class="narrow"
      active-text="Only columns in question"
      aria-label="Only columns in question"
    />
  </div>
  <FailureNote v-if="error" :error="error" :retry="load" class="note" />
  <ElSkeleton v-else-if="!found" :rows="4" animated class="note" />
  <p v-else-if="found.items.length === 0 && found.total > 0" class="soft note">
    There is no page {{ page }}.
    <button type="button" class="link" @click="address.go({ page: undefined })">To the first</button>
  </p>
  <p v-else-if="found.total === 0" class="soft note">
    {{ choice ? 'No row was rejected for this.' : 'No row was rejected.' }}
  </p>
  <template v-else>
    <div class="scroll" role="region" aria-label="Rejected rows" tabindex="0">
      <table>
        <thead>
          <tr>
            <th scope="col" class="number">row</th>
            <th scope="col" class="number">line</th>
            <th v-for="i in places" :key="i" scope="col">{{ found.columns[i] ?? 'beyond the table' }}</th>
          </tr>
        </thead>
        <tbody v-for="l in lines" :key="l.reject.row">
          <tr>
            <td class="number">
              <RouterLink
                :to="`/deliveries/${run.delivery}/reading?row=${l.reject.row}`"
                :title="`See row ${l.reject.row} in the delivery`"
                >{{ count(l.reject.row) }}</RouterLink
              >
            </td>
            <td class="number soft">{{ count(l.reject.line) }}</td>
            <td
              v-for="i in places"
              :key="i"
              :class="{ wrong: l.wrong.has(i), beyond: i >= found.columns.length }"
              :title="l.wrong.get(i)"
            >
              <template v-if="l.reject.cells[i]">{{ visible(l.reject.cells[i]) }}</template>
              <span v-else class="blank">{{ i < l.reject.cells.length ? 'empty' : 'not there' }}</span>
            </td>
          </tr>
          <tr class="reasons">
            <td colspan="2"></td>
            <td :colspan="Math.max(1, places.length)">
              <div class="sticky">
                <p v-for="v in l.reject.violations" :key="v.code + v.column">
                  <b v-if="v.column">{{ v.column }}</b> {{ visible(v.message) }}
                </p>
                <p v-if="l.reject.violations.length === 0">The delivery as a whole is refused.</p>
              </div>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <ElPagination
      v-if="found.total > perPage"
      class="pages"
      layout="prev, pager, next"
      :page-size="perPage"
      :total="found.total"
      :current-page="page"
      @current-change="(p: number) => address.go({ page: p > 1 ? p : undefined })"
    />
  </template>
</template>

<style scoped>
.head {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 0 12px;
  padding: 5px 14px;
}

.narrow {
  margin-left: auto;
}

.note {
  margin: 0 14px 14px;
}

.scroll {
  overflow: auto;
  max-height: calc(100vh - 120px);
  container-type: inline-size;
  border-top: 1px solid var(--line);
}

table {
  border-collapse: separate;
  border-spacing: 0;
  width: 100%;
  font-size: 13px;
}

th {
  position: sticky;
  top: 0;
  z-index: 1;
  background: var(--husk-wash);
  font-weight: 600;
  text-align: left;
  white-space: nowrap;
}

th,
td {
  padding: 5px 10px;
}

th.number {
  text-align: right;
}

tbody tr:first-child td {
  border-top: 1px solid var(--line);
  white-space: nowrap;
  max-width: 260px;
  overflow: hidden;
  text-overflow: ellipsis;
}

.wrong {
  background: var(--rust-wash);
  box-shadow: inset 0 -2px 0 var(--rust);
  font-weight: 600;
}

.blank,
.beyond {
  color: var(--soft);
  font-style: italic;
}

.reasons td {
  padding-top: 0;
  color: var(--rust);
}

.sticky {
  position: sticky;
  left: 10px;
  width: fit-content;
  max-width: calc(100cqi - 120px);
}

.reasons p {
  margin: 0 0 3px;
  overflow-wrap: anywhere;
}

.pages {
  padding: 8px;
  justify-content: center;
  border-top: 1px solid var(--line);
}
</style>
