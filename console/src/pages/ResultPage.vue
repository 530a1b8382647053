<script setup lang="ts">
/** The Result station: the rows of an outcome, accepted ones as their table will have them, looked at and asked. */
import { ElButton, ElOption, ElPagination, ElSelect, ElSkeleton } from 'element-plus'
import { computed, ref } from 'vue'
import DeliveryHead from '../components/DeliveryHead.vue'
import FailureNote from '../components/FailureNote.vue'
import TallyBar from '../components/TallyBar.vue'
import { useDrafts } from '../drafts'
import { count, counted, time, visible } from '../format'
import { useRows } from '../result/asking'
import { useCompared } from '../result/comparing'
import BecameTable from '../result/BecameTable.vue'
import ColumnChooser from '../result/ColumnChooser.vue'
import ComparedRows from '../result/ComparedRows.vue'
import ConditionBar from '../result/ConditionBar.vue'
import { isTyped, pageSizes, useQuestion } from '../result/question'
import { useRehearsed } from '../result/rehearsed'
import RowsGrid from '../result/RowsGrid.vue'
import RowWay from '../result/RowWay.vue'
import SideTabs from '../result/SideTabs.vue'
import ValueCounts from '../result/ValueCounts.vue'
import { useRules } from '../rules/draft'
import DraftStrip from '../rules/DraftStrip.vue'
import { useFoundCures } from '../rules/found'
import FoundCures from '../rules/FoundCures.vue'
import OthersNote from '../rules/OthersNote.vue'
import FormDialog from '../runs/FormDialog.vue'
import OtherRun from '../runs/OtherRun.vue'
import RunProgress from '../runs/RunProgress.vue'
import { rulesOf, useRuns } from '../runs/shown'
import { useStation } from '../station'

const { id } = defineProps<{ id: string }>()
const book = useDrafts(() => id)
const work = useRules(() => id)
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
    void work.load()
    await shown.load()
    isLoaded.value = isHere()
  },
  () => {
    isLoaded.value = false
    shown.forget()
  },
)
const question = useQuestion()
/** The draft's rows are shown: they are asked for, or nothing was run yet. */
const isDraft = computed(
  () => work.rules.value !== undefined && (question.isDraft.value || (isLoaded.value && run.value === undefined)),
)
const rehearsed = useRehearsed(
  () => id,
  () => isDraft.value,
  work,
)
/** The run whose rows are shown. */
const of = computed(() => (isDraft.value ? rehearsed.run.value : run.value))
const { side, where, sort, page, perPage, row, against, kind } = question
const { compared, comparedWrong, compare, other } = useCompared(() => of.value, against)
/** The run in which the rows that are shown stand: those that are gone only the other run has. */
const rowsOf = computed(() => (kind.value === 'gone' ? other.value : of.value))
const asked = useRows(() => of.value, question)
const { found, wrong, isAsking, columns, ask } = asked
const names = computed(() => columns.value.map((c) => c.name))

/** What deals with the rows that are found stands in a draft of the rules by which they were sifted. */
const cures = useFoundCures(
  work,
  async () => {
    const r = of.value
    if (r?.target) await work.begin({ target: r.target.name, mapping: r.mapping?.name })
  },
  () => ({ of: 'outcome', datatypes: new Map(columns.value.map((c) => [c.name, c.datatype])) }),
  (name) => work.columns.value.find((c) => c.name === name),
)

const isChoosing = ref(false)
const isDownloading = ref(false)
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
  if (kind.value) return where.value.length > 0 ? 'None of these rows passes.' : 'There is no such row.'
  if (where.value.length > 0) return 'No row passes.'
  if (side.value === 'flagged') return 'In no accepted row something breaks a rule.'
  if (side.value === 'changed') return 'No remedy has changed anything in an accepted row.'
  if (side.value !== 'accepted') return `No row was ${side.value}.`
  return of.value?.refusal ? `Nothing was accepted: ${of.value.refusal}` : 'No row was accepted.'
})
</script>

<template>
  <DeliveryHead
    :id="id"
    :delivery="delivery"
    :drafts="book.drafts.value"
    :changes="work.rules.value?.changes.length"
    @changed="(d) => (delivery = d)"
  />
  <OthersNote v-if="work.rules.value" :work="work" />
  <FailureNote v-if="error" :error="error" :retry="load" class="part" />
  <ElSkeleton v-if="!isLoaded && !error && !delivery?.refusal" :rows="6" animated />
  <template v-if="delivery && !delivery.refusal && isLoaded">
    <p v-if="strange" class="said" role="status">{{ strange }}</p>
    <p v-if="lost" class="said" role="status">The run cannot be followed: {{ lost }}.</p>
    <section v-if="!run && !isDraft" class="sheet part" aria-label="Next step">
      <h2>No result yet</h2>
      <p>
        The delivery was not sifted. At the
        <RouterLink :to="`/deliveries/${id}/rules`">Rules station</RouterLink> one chooses or drafts the target that
        the rows are meant for, and sifts.
      </p>
    </section>
    <RunProgress v-else-if="!isDraft && run && !run.tally" :run="run" class="part" @stop="shown.cancel" />
    <template v-else>
      <DraftStrip :delivery="id" :work="work">
        <button v-if="!isDraft" type="button" class="link" @click="question.setDraft(true)">
          the rows as this draft makes them
        </button>
      </DraftStrip>
      <FailureNote v-if="work.error.value && !work.rules.value" :error="work.error.value" class="part" />
      <FailureNote v-if="isDraft && rehearsed.error.value" :error="rehearsed.error.value" class="part" />
      <ElSkeleton v-else-if="!of" :rows="6" animated />
      <section v-if="of" class="sheet part account" aria-label="Account">
        <p v-if="isDraft" class="soft by">
          as the draft of rules makes them: nothing is recorded, and nothing was run<template v-if="run"
            >;
            <button type="button" class="link" @click="question.setDraft(false)">
              the rows of the run
            </button></template
          >
        </p>
        <p v-else class="soft by">
          {{ of.target ? 'into ' : '' }}{{ rulesOf(of) }}, sifted {{ time(of.createdAt) }} ·
          <RouterLink :to="`/deliveries/${id}/rejects?run=${of.id}`">verdict, violations and downloads</RouterLink>
        </p>
        <p v-if="of.verdict === 'accepted' && (of.tally?.read ?? 0) > 0" class="whole">
          ✓ {{ of.tally?.read === of.tally?.accepted ? 'All' : 'All other' }}
          {{ counted(of.tally?.accepted ?? 0, 'row is', 'rows are') }} accepted.
        </p>
        <TallyBar v-if="of.tally" :tally="of.tally" :refused="of.verdict === 'refused'" />
      </section>
      <div v-if="of" class="station" :class="{ beside: question.counted.value }">
        <section class="sheet rows" aria-label="Rows">
          <SideTabs :question="question" :rows="asked">
            <ElButton size="small" @click="isChoosing = true">Columns</ElButton>
            <ElButton size="small" :disabled="!found?.total" @click="isDownloading = true">Download</ElButton>
          </SideTabs>
          <div class="against" role="group" aria-label="Compared with another run">
            <span v-if="against" class="soft">compared with</span>
            <OtherRun :run="of" :runs="shown.runs.value" :other="against" @choose="question.setAgainst" />
            <FailureNote v-if="comparedWrong" :error="comparedWrong" :retry="compare" />
            <span v-else-if="against && !compared" class="soft" role="status">comparing …</span>
            <ComparedRows
              v-if="compared"
              :compared="compared"
              :kind="kind"
              :side="side"
              :differs="question.differs.value"
              @choose="question.setKind"
              @narrow="question.setDiffers"
            />
          </div>
          <BecameTable v-if="question.isProfile.value" :run="of.id" :delivery="id" @count="question.count" />
          <template v-else>
            <ConditionBar :where="where" :columns="names" @add="question.add" @remove="question.remove">
              <span class="soft" role="status">{{ isAsking ? 'looking …' : said }}</span>
              <FoundCures
                v-if="where.length > 0 && isTyped(side) && !kind && of.target"
                :filters="where"
                :rows="found?.total"
                :cures="cures"
              />
            </ConditionBar>
            <div v-if="wrong">
              <FailureNote :error="wrong" :retry="isDraft ? rehearsed.make : ask" class="note" />
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
                :marks="asked.marks.value"
                :row="row"
                :sort="sort"
                :counted="question.counted.value"
                @turn="question.turn"
                @count="question.count"
                @open="question.open"
              />
              <p v-if="columns.length > found.columns.length" class="soft note">
                {{ found.columns.length }} of {{ counted(columns.length, 'column', 'columns') }} are shown;
                <button type="button" class="link" @click="isChoosing = true">choose others</button>
              </p>
              <div v-if="pages > pageSizes[0]!" class="pages">
                <ElPagination
                  layout="prev, pager, next"
                  :page-size="perPage"
                  :total="pages"
                  :current-page="page"
                  @current-change="question.setPage"
                />
                <ElSelect
                  :model-value="perPage"
                  size="small"
                  class="per"
                  aria-label="Rows of a page"
                  @change="question.setPerPage"
                >
                  <ElOption v-for="n in pageSizes" :key="n" :value="n" :label="`${count(n)} rows a page`" />
                </ElSelect>
              </div>
            </template>
            <RowWay
              v-if="row !== undefined && rowsOf"
              :run="rowsOf.id"
              :row="row"
              :delivery="rowsOf.delivery"
              :rows="(found?.items ?? []).map((r) => r.row)"
              @open="question.open"
            />
          </template>
        </section>
        <ValueCounts
          v-if="question.counted.value"
          :run="of.id"
          :asked="question.asked.value"
          :column="question.counted.value"
          :conditions="where"
          :cures="cures"
          @only="question.add"
          @close="question.count(undefined)"
        />
      </div>
      <ColumnChooser v-model="isChoosing" :all="names" :shown="asked.shown.value" @show="question.show" />
      <FormDialog
        v-if="of"
        v-model="isDownloading"
        :run="of.id"
        :title="where.length > 0 ? 'The rows that pass, in a form' : `The ${kind ?? side} rows, in a form`"
        :lead="`${counted(found?.total ?? 0, 'row', 'rows')}, in the order of the delivery.`"
        :asked="question.asked.value"
        :columns="question.columns.value && asked.shown.value"
      />
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

.whole {
  margin: 0 0 6px;
  color: var(--leaf);
  font-weight: 600;
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

.note {
  margin: 0;
  padding: 10px 14px;
}

.against {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 6px 14px;
  padding: 8px 14px;
  border-bottom: 1px solid var(--line);
}

/* There is nothing to compare with. */
.against:not(:has(*)) {
  display: none;
}

.per {
  width: 150px;
}

.pages {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
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
