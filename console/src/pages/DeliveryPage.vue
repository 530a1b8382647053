<script setup lang="ts">
import { Document, Download } from '@element-plus/icons-vue'
import { ElButton, ElCheckbox, ElIcon, ElOption, ElProgress, ElSelect, ElSkeleton } from 'element-plus'
import { computed, onBeforeUnmount, ref, watch } from 'vue'
import { answered, api, follow, type Delivery, type Run, type RunHead } from '../api/client'
import FailureNote from '../components/FailureNote.vue'
import RejectTable from '../components/RejectTable.vue'
import RunPanel from '../components/RunPanel.vue'
import StateMark from '../components/StateMark.vue'
import TroubleNote from '../components/TroubleNote.vue'
import StationNav from '../components/StationNav.vue'
import TallyBar from '../components/TallyBar.vue'
import ViolationList, { type Choice } from '../components/ViolationList.vue'
import { count, counted, delimiterName, size, time } from '../format'

const { id } = defineProps<{ id: string }>()

const delivery = ref<Delivery>()
const runs = ref<RunHead[]>([])
const run = ref<Run>()
const choice = ref<Choice>()
const error = ref<unknown>()
const lost = ref(false)
let unfollow = (): void => {}

async function load(): Promise<void> {
  error.value = undefined
  try {
    delivery.value = await answered(api.GET('/api/v1/deliveries/{id}', { params: { path: { id } } }))
    await loadRuns()
    const newest = runs.value[0]
    const first = newest && !hasEnded(newest) ? newest : (delivery.value.run ?? newest)
    if (first) await show(first.id)
    document.title = `${delivery.value.name} · Sieb`
  } catch (e) {
    error.value = e
  }
}

async function loadRuns(): Promise<void> {
  runs.value = (await answered(api.GET('/api/v1/runs', { params: { query: { delivery: id } } }))).items
}

const hasEnded = (r: RunHead): boolean => r.state !== 'waiting' && r.state !== 'running'

/** Shows a run, and follows it to its end. */
async function show(runID: string): Promise<void> {
  unfollow()
  unfollow = () => {}
  choice.value = undefined
  try {
    const shown = await answered(api.GET('/api/v1/runs/{id}', { params: { path: { id: runID } } }))
    run.value = shown
    if (!runs.value.some((r) => r.id === runID)) await loadRuns()
    if (!hasEnded(shown)) unfollow = follow(runID, followed, () => (lost.value = true))
  } catch (e) {
    error.value = e
  }
}

function followed(r: Run): void {
  lost.value = false
  run.value = r
  if (hasEnded(r)) void loadRuns().catch((e: unknown) => (error.value = e))
}

async function cancel(): Promise<void> {
  if (!run.value) return
  try {
    await answered(api.POST('/api/v1/runs/{id}/cancel', { params: { path: { id: run.value.id } } }))
  } catch (e) {
    error.value = e
  }
}

watch(() => id, () => {
  unfollow()
  delivery.value = run.value = undefined
  void load()
}, { immediate: true })
onBeforeUnmount(() => unfollow())

const isBusy = computed(() => run.value !== undefined && !hasEnded(run.value))
const percent = computed(() => {
  const p = run.value?.progress
  return p && p.totalBytes > 0 ? Math.floor((100 * p.bytes) / p.totalBytes) : 0
})

const meaning: Record<string, string> = {
  accepted: 'No row was rejected.',
  split: 'Some rows were rejected; the target sets no limit.',
  refused: 'The delivery as a whole must not be loaded.',
}

const verdictMeans = computed(() => {
  const r = run.value
  if (r?.verdict === 'split' && r.tolerance) return `Some rows were rejected, within the tolerance of ${r.tolerance}.`
  return meaning[r?.verdict ?? '']
})

const readAs = computed(() => {
  const l = run.value?.readAs
  if (!l) return ''
  const parts = l.form === 'workbook' ? [`sheet ${l.sheet}`] : [l.encoding, l.form === 'fixed' ? `fixed width, ${l.cuts.length + 1} columns` : l.fold > 0 ? `${l.fold} lines to a row` : delimiterName(l.delimiter)]
  if (l.skipRows > 0) parts.push(`${counted(l.skipRows, 'line', 'lines')} above the table`)
  parts.push(l.headerRows === 0 ? 'no header' : counted(l.headerRows, 'header row', 'header rows'))
  if (l.footerRows > 0) parts.push(`${counted(l.footerRows, 'line', 'lines')} below the table`)
  if (run.value?.blankLines) parts.push(`${counted(run.value.blankLines, 'blank line is', 'blank lines are')} no rows`)
  return parts.join(', ')
})

const remedied = computed(() => run.value?.remedies?.filter((r) => r.changed > 0) ?? [])

/** Downloads are made for spreadsheets; kept for the next time. */
const forSpreadsheets = ref(localStorage.getItem('sieb.forSpreadsheets') === 'yes')
watch(forSpreadsheets, (is) => localStorage.setItem('sieb.forSpreadsheets', is ? 'yes' : 'no'))

function linkOf(o: { name: string; file: string }): string | undefined {
  const link = run.value?.outputs?.[o.name]
  return link && forSpreadsheets.value && o.file.endsWith('.csv') ? `${link}?for=spreadsheet` : link
}

const outputs = [
  { name: 'accepted', file: 'accepted.csv', words: 'Accepted rows' },
  { name: 'rejected', file: 'rejected.csv', words: 'Rejected rows' },
  { name: 'violations', file: 'violations.csv', words: 'Violations' },
  { name: 'manifest', file: 'manifest.json', words: 'Manifest' },
]
</script>

<template>
  <p class="back"><RouterLink to="/">← All deliveries</RouterLink></p>
  <h1 v-if="!delivery">Delivery</h1>
  <FailureNote v-if="error" :error="error" :retry="load" />
  <ElSkeleton v-else-if="!delivery" :rows="5" animated />
  <template v-if="delivery">
    <div class="top">
      <h1>{{ delivery.name }}</h1>
      <StateMark :state="run ? (run.state === 'done' ? (run.verdict ?? 'done') : run.state) : delivery.state" />
    </div>
    <p class="facts soft">
      arrived {{ time(delivery.arrivedAt) }} · {{ size(delivery.bytes) }} ·
      <span :title="`SHA-256 ${delivery.sha256}`">sha256 {{ delivery.sha256.slice(0, 12) }}…</span> ·
      <a :href="`/api/v1/deliveries/${id}/content`" download>the file as it arrived</a>
      <template v-if="delivery.repeatOf"> · <RouterLink :to="`/deliveries/${delivery.repeatOf}`">the same bytes have arrived before</RouterLink></template>
    </p>
    <StationNav :delivery="id" />

    <section class="sheet part" aria-label="Run">
      <RunPanel :delivery="id" :last="run ?? runs[0]" :busy="isBusy" @started="show" />
      <div v-if="runs.length > 1" class="earlier">
        <label for="runs" class="soft">Run shown</label>
        <ElSelect id="runs" :model-value="run?.id" size="small" class="runs" aria-label="Run shown" @change="show">
          <ElOption v-for="r in runs" :key="r.id" :value="r.id" :label="`${time(r.createdAt)}: ${r.target ? `${r.target.name}, version ${r.target.version}` : 'no target'}, ${r.verdict ?? r.state}`" />
        </ElSelect>
      </div>
    </section>

    <p v-if="lost" class="soft" role="status">The connection to the service is lost; trying again…</p>

    <section v-if="run && isBusy" class="sheet part" aria-label="Progress" aria-live="polite">
      <div class="top">
        <h2>{{ run.trouble?.nextAt ? 'Waiting to try again' : run.state === 'waiting' ? 'Waiting for its turn' : 'Sifting' }}</h2>
        <span class="soft">{{ counted(run.progress.rows, 'row', 'rows') }}, {{ size(run.progress.bytes) }} of {{ size(run.progress.totalBytes) }}</span>
        <ElButton size="small" @click="cancel">Stop</ElButton>
      </div>
      <ElProgress :percentage="percent" aria-label="Part of the delivery that is read" />
      <TroubleNote :trouble="run.trouble" />
    </section>

    <section v-else-if="run?.state === 'failed'" class="part" aria-label="Failure">
      <FailureNote :error="new Error(run.error ?? 'The run failed.')" />
    </section>

    <section v-else-if="run?.state === 'cancelled'" class="sheet part" aria-label="Cancelled">
      <h2>The run was stopped</h2>
      <p>Nothing was written. Sift again to have a result.</p>
    </section>

    <template v-else-if="run?.tally">
      <section class="sheet part" aria-label="Result">
        <div class="result">
          <div class="verdict">
            <h2 class="word" :class="run.verdict">{{ run.verdict }}</h2>
            <p>{{ run.refusal || verdictMeans }}</p>
            <p class="soft">read as {{ readAs }}</p>
          </div>
          <TallyBar :tally="run.tally" class="tally" />
        </div>
        <div class="downloads">
          <a v-for="o in outputs" :key="o.name" :href="linkOf(o)" :download="o.file" class="download">
            <ElIcon><Document v-if="o.name === 'manifest'" /><Download v-else /></ElIcon>{{ o.words }}
            <span class="soft">{{ o.file }}</span>
          </a>
          <ElCheckbox v-model="forSpreadsheets">
            for spreadsheets <span class="soft">with a mark that tells UTF-8, and nothing that would run as a formula</span>
          </ElCheckbox>
        </div>
      </section>

      <div class="split">
        <section class="sheet violations" aria-label="Violations">
          <div class="head">
            <h2>Violations</h2>
            <span class="soft">{{ run.violations?.length ? 'choose one to see its rows' : '' }}</span>
          </div>
          <ViolationList v-if="run.violations?.length" :groups="run.violations" :chosen="choice" @choose="(c) => (choice = c)" />
          <p v-else class="soft none">None was found.</p>
          <template v-if="remedied.length > 0">
            <div class="head"><h2>Cells cleaned</h2></div>
            <ul class="remedies">
              <li v-for="r in remedied" :key="r.column + r.remedy"><span class="number">{{ count(r.changed) }}</span><b>{{ r.column }}</b>{{ r.remedy }}</li>
            </ul>
          </template>
        </section>
        <section class="sheet rejects">
          <RejectTable :run="run" :choice="choice" />
        </section>
      </div>
    </template>
  </template>
</template>

<style scoped>
.facts {
  margin: 4px 0 14px;
}

.part {
  padding: 14px;
  margin-bottom: 14px;
}

.earlier {
  display: flex;
  align-items: center;
  gap: 8px;
  margin-top: 10px;
}

.runs {
  width: 380px;
  max-width: 100%;
}

.result {
  display: grid;
  grid-template-columns: minmax(220px, 380px) 1fr;
  gap: 10px 28px;
}

.word {
  font-size: 26px;
}

.word.accepted {
  color: var(--leaf);
}

.word.split {
  color: var(--grain);
}

.word.refused {
  color: var(--rust);
}

.verdict p {
  margin: 4px 0 0;
  overflow-wrap: anywhere;
}

.downloads {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  margin-top: 14px;
}

.download {
  display: inline-flex;
  align-items: center;
  gap: 6px;
  padding: 5px 10px;
  border: 1px solid var(--line);
  border-radius: 3px;
  text-decoration: none;
  color: var(--ink);
}

.download:hover {
  background: var(--grain-wash);
}

.split {
  display: grid;
  grid-template-columns: minmax(340px, 430px) minmax(0, 1fr);
  gap: 14px;
  align-items: start;
}

/* The rows in question stay in sight beside the violation chosen. */
.rejects {
  position: sticky;
  top: 12px;
}

.head {
  display: flex;
  align-items: baseline;
  gap: 12px;
  padding: 10px 14px;
}

.none {
  padding: 0 14px 12px;
  margin: 0;
}

.remedies {
  list-style: none;
  margin: 0;
  padding: 0 12px 10px;
}

.remedies li {
  display: grid;
  grid-template-columns: 52px auto 1fr;
  gap: 10px;
  padding: 3px 0;
}

@media (max-width: 1000px) {
  .split,
  .result {
    grid-template-columns: minmax(0, 1fr);
  }

  .rejects {
    position: static;
  }
}
</style>
