<script setup lang="ts">
/** The Result station: the rows of an outcome, accepted ones as their table will have them, looked at and asked. */
import { ElPagination, ElSkeleton } from 'element-plus'
import { computed, ref, watch } from 'vue'
import { answered, api, type RowsFound } from '../api/client'
import DeliveryHead from '../components/DeliveryHead.vue'
import FailureNote from '../components/FailureNote.vue'
import TallyBar from '../components/TallyBar.vue'
import { useDrafts } from '../drafts'
import { count, counted, time, visible } from '../format'
import ConditionBar from '../result/ConditionBar.vue'
import { sides, textOf, useQuestion } from '../result/question'
import RowsGrid from '../result/RowsGrid.vue'
import ValueCounts from '../result/ValueCounts.vue'
import RunProgress from '../runs/RunProgress.vue'
import { rulesOf, useRuns } from '../runs/shown'
import { useStation } from '../station'

const { id } = defineProps<{ id: string }>()
const book = useDrafts(() => id)
const shown = useRuns(
  () => id,
  () => delivery.value,
  () => renew(),
  (e) => (error.value = e),
)
const { run, lost, strange } = shown
const isLoaded = ref(false)
const { delivery, error, load, renew } = useStation(
  () => id,
  'Result',
  async (_, isHere) => {
    void book.load()
    await shown.load()
    isLoaded.value = isHere()
  },
  () => {
    isLoaded.value = false
    shown.forget()
  },
)
const question = useQuestion()
const { side, where, sort, page } = question
const texts = computed(() => where.value.map(textOf))
/** So many rows make a page, and so many columns are shown. */
const [perPage, mostColumns] = [100, 60]
const found = ref<RowsFound>()
/** Why the rows cannot be shown. */
const wrong = ref<unknown>()
const isAsking = ref(false)
const columns = ref<string[]>([])
let latest = 0

async function ask(): Promise<void> {
  const r = run.value
  if (!r?.tally) return
  const mine = ++latest
  isAsking.value = true
  try {
    const params = { path: { id: r.id } }
    const of = `${r.id} ${side.value}`
    if (known !== of) {
      const none = await answered(
        api.GET('/api/v1/runs/{id}/rows', { params: { ...params, query: { side: side.value, limit: 0 } } }),
      )
      if (mine !== latest) return
      columns.value = none.columns.map((c) => c.name)
      known = of
    }
    const query = {
      side: side.value,
      where: texts.value,
      sort: sort.value && [sort.value.column + (sort.value.descending ? ' descending' : '')],
      offset: (page.value - 1) * perPage,
      limit: perPage,
      columns: columns.value.length > mostColumns ? columns.value.slice(0, mostColumns) : undefined,
    }
    const rows = await answered(api.GET('/api/v1/runs/{id}/rows', { params: { ...params, query } }))
    if (mine !== latest) return
    found.value = rows
    wrong.value = undefined
  } catch (e) {
    if (mine !== latest) return
    wrong.value = e
    found.value = undefined
  } finally {
    if (mine === latest) isAsking.value = false
  }
}
/** Of which run and side the columns are known. */
let known = ''
watch(
  () => JSON.stringify([run.value?.id, run.value?.verdict, side.value, texts.value, sort.value, page.value]),
  () => void ask(),
  { immediate: true },
)
const rowsOf = (s: (typeof sides)[number]): number => run.value?.tally?.[s] ?? 0
const said = computed(() => {
  const f = found.value
  if (!f) return ''
  const rows = where.value.length > 0 ? counted(f.total, 'row passes', 'rows pass') : counted(f.total, 'row', 'rows')
  if (!sort.value) return rows
  return `${rows}, by ${visible(sort.value.column)}, ${sort.value.descending ? 'highest' : 'lowest'} first`
})
/** Sorted rows are paged as far as the service sorts. */
const pages = computed(() => Math.min(found.value?.total ?? 0, sort.value ? 100_000 : Infinity))
const nothing = computed(() => {
  if (where.value.length > 0) return 'No row passes.'
  if (side.value !== 'accepted') return `No row was ${side.value}.`
  return run.value?.refusal ? `Nothing was accepted: ${run.value.refusal}` : 'No row was accepted.'
})

function only(value: string | null): void {
  const column = question.counted.value
  if (column === undefined) return
  question.add(value === null ? { column, op: 'empty', value: '' } : { column, op: 'equals', value })
}
</script>

<template>
  <DeliveryHead :id="id" :delivery="delivery" :drafts="book.drafts.value" @changed="(d) => (delivery = d)" />
  <FailureNote v-if="error" :error="error" :retry="load" class="part" />
  <ElSkeleton v-if="!isLoaded && !error && !delivery?.refusal" :rows="6" animated />
  <template v-if="delivery && !delivery.refusal && isLoaded">
    <p v-if="strange" class="said" role="status">{{ strange }}</p>
    <p v-if="lost" class="said" role="status">The run cannot be followed: {{ lost }}.</p>
    <section v-if="!run" class="sheet part" aria-label="Next step">
      <h2>No result yet</h2>
      <p>
        The delivery was not sifted. At the
        <RouterLink :to="`/deliveries/${id}/rules`">Rules station</RouterLink> one chooses or drafts the target that
        the rows are meant for, and sifts.
      </p>
    </section>
    <RunProgress v-else-if="!run.tally" :run="run" class="part" @stop="shown.cancel" />
    <template v-else>
      <section class="sheet part account" aria-label="Account">
        <p class="soft by">
          {{ run.target ? 'into ' : '' }}{{ rulesOf(run) }}, sifted {{ time(run.createdAt) }} ·
          <RouterLink :to="`/deliveries/${id}/rejects?run=${run.id}`">verdict, violations and downloads</RouterLink>
        </p>
        <TallyBar :tally="run.tally" :refused="run.verdict === 'refused'" />
      </section>
      <div class="station" :class="{ beside: question.counted.value }">
        <section class="sheet rows" aria-label="Rows">
          <div class="sides" role="group" aria-label="Side">
            <button v-for="s in sides" :key="s" type="button" :aria-pressed="s === side" @click="question.setSide(s)">
              {{ s }} <span class="number">{{ count(rowsOf(s)) }}</span>
            </button>
          </div>
          <ConditionBar :where="where" :columns="columns" @add="question.add" @remove="question.remove">
            <span class="soft" role="status">{{ isAsking ? 'looking …' : said }}</span>
          </ConditionBar>
          <div v-if="wrong">
            <FailureNote :error="wrong" :retry="ask" class="note" />
            <p v-if="where.length > 0 || sort" class="soft note">
              <button type="button" class="link" @click="question.setSide(side)">Ask for all rows</button>, without
              conditions and in their own order
            </p>
          </div>
          <ElSkeleton v-else-if="!found" :rows="5" animated class="note" />
          <p v-else-if="found.items.length === 0 && found.total > 0" class="soft note">
            There is no page {{ page }}.
            <button type="button" class="link" @click="question.setPage(1)">To the first</button>
          </p>
          <p v-else-if="found.items.length === 0" class="soft note">{{ nothing }}</p>
          <template v-else>
            <RowsGrid
              :found="found"
              :delivery="id"
              :sort="sort"
              :counted="question.counted.value"
              @turn="question.turn"
              @count="question.count"
            />
            <p v-if="columns.length > found.columns.length" class="soft note">
              The first {{ found.columns.length }} of {{ counted(columns.length, 'column', 'columns') }} are shown.
            </p>
            <ElPagination
              v-if="pages > perPage"
              class="pages"
              layout="prev, pager, next"
              :page-size="perPage"
              :total="pages"
              :current-page="page"
              @current-change="question.setPage"
            />
          </template>
        </section>
        <ValueCounts
          v-if="question.counted.value"
          :run="run.id"
          :side="side"
          :column="question.counted.value"
          :where="texts"
          @only="only"
          @close="question.count(undefined)"
        />
      </div>
    </template>
  </template>
</template>

<style scoped>
.part {
  padding: 12px 14px;
  margin-bottom: 12px;
}

.by {
  margin: 0 0 8px;
}

.said {
  margin: 0 0 12px;
  padding: 6px 12px;
  border-left: 3px solid var(--grain);
  background: var(--grain-wash);
}

.station {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 12px;
  align-items: start;
}

.beside {
  grid-template-columns: minmax(0, 1fr) 320px;
}

.sides {
  display: flex;
  flex-wrap: wrap;
  gap: 2px;
  padding: 6px 12px 0;
  border-bottom: 1px solid var(--line);
}

.sides button {
  padding: 5px 14px;
  border: 0;
  border-bottom: 3px solid transparent;
  background: none;
  color: inherit;
  font: inherit;
  cursor: pointer;
}

.sides button[aria-pressed='true'] {
  border-color: var(--grain);
  font-weight: 600;
}

.note {
  margin: 0;
  padding: 10px 14px;
}

.pages {
  padding: 8px;
  justify-content: center;
  border-top: 1px solid var(--line);
}

@media (max-width: 1000px) {
  .beside {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
