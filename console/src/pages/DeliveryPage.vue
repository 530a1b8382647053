<script setup lang="ts">
import { ElButton, ElOption, ElProgress, ElSelect, ElSkeleton } from 'element-plus'
import { computed, onBeforeUnmount, ref, watch } from 'vue'
import { useAddress } from '../address'
import { answered, api, follow, ServiceError, type Delivery, type Group, type Run, type RunHead } from '../api/client'
import DeliveryHead from '../components/DeliveryHead.vue'
import FailureNote from '../components/FailureNote.vue'
import RejectTable from '../components/RejectTable.vue'
import RemedyList from '../components/RemedyList.vue'
import RunComparison from '../components/RunComparison.vue'
import RunDownloads from '../components/RunDownloads.vue'
import RunPanel from '../components/RunPanel.vue'
import TroubleNote from '../components/TroubleNote.vue'
import TallyBar from '../components/TallyBar.vue'
import ViolationList, { type Choice } from '../components/ViolationList.vue'
import ViolationTable from '../components/ViolationTable.vue'
import { useDrafts } from '../drafts'
import { counted, delimiterName, size, time } from '../format'
import { readsAs } from '../layouts'
import CureList from '../rules/CureList.vue'
import { useRules } from '../rules/draft'
import DraftStrip from '../rules/DraftStrip.vue'
import OthersNote from '../rules/OthersNote.vue'

const { id } = defineProps<{ id: string }>()

const address = useAddress()
const book = useDrafts(() => id)
const work = useRules(() => id)
const delivery = ref<Delivery>()
const runs = ref<RunHead[]>([])
const run = ref<Run>()
const error = ref<unknown>()
const lost = ref('')
/** What the address names, and is not there. */
const strange = ref('')
let unfollow = (): void => {}
let latest = 0

async function load(): Promise<void> {
  const mine = ++latest
  error.value = undefined
  try {
    const found = await answered(api.GET('/api/v1/deliveries/{id}', { params: { path: { id } } }))
    if (mine !== latest) return
    delivery.value = found
    document.title = `${found.name} · Sieb`
    void book.load()
    await loadRuns()
    if (mine === latest) await showAsked()
  } catch (e) {
    if (mine === latest) error.value = e
  }
}

async function loadRuns(): Promise<void> {
  runs.value = (await answered(api.GET('/api/v1/runs', { params: { query: { delivery: id } } }))).items
}

const hasEnded = (r: RunHead): boolean => r.state !== 'waiting' && r.state !== 'running'

/** Shows the run that the address names; without one, that which is under way, or that of the state. */
async function showAsked(): Promise<void> {
  strange.value = ''
  const asked = address.of('run')
  const newest = runs.value[0]
  const usual = newest && !hasEnded(newest) ? newest : (delivery.value?.run ?? newest)
  if (asked === undefined) {
    if (usual) await show(usual.id)
    return
  }
  try {
    if (await show(asked)) return
  } catch (e) {
    if (!(e instanceof ServiceError) || e.status !== 404) throw e
  }
  strange.value = `This delivery has no run “${asked}”${usual ? '; the one that its state comes from is shown' : ''}.`
  if (usual) await show(usual.id)
}

/** Shows a run, and follows it to its end. False says that it is another delivery's. */
async function show(runID: string): Promise<boolean> {
  unfollow()
  unfollow = () => {}
  lost.value = ''
  const shown = await answered(api.GET('/api/v1/runs/{id}', { params: { path: { id: runID } } }))
  if (shown.delivery !== id) return false
  run.value = shown
  if (!runs.value.some((r) => r.id === runID)) await loadRuns()
  if (!hasEnded(shown)) unfollow = follow(runID, followed, (why) => (lost.value = why))
  return true
}

function followed(r: Run): void {
  lost.value = ''
  run.value = r
  if (hasEnded(r)) void ended()
}

async function ended(): Promise<void> {
  try {
    await loadRuns()
    delivery.value = await answered(api.GET('/api/v1/deliveries/{id}', { params: { path: { id } } }))
  } catch (e) {
    error.value = e
  }
}

async function cancel(): Promise<void> {
  if (!run.value) return
  try {
    await answered(api.POST('/api/v1/runs/{id}/cancel', { params: { path: { id: run.value.id } } }))
  } catch (e) {
    error.value = e
  }
}

/** The violation that the address names, where the run has it. */
const chosen = computed<Group | undefined>(() =>
  run.value?.violations?.find((g) => g.code === address.of('code') && g.column === (address.of('column') ?? '')),
)
const choice = computed<Choice | undefined>(
  () => chosen.value && { code: chosen.value.code, column: chosen.value.column },
)
const isRejecting = computed(
  () => !chosen.value || chosen.value.action === 'reject' || chosen.value.action === 'refuse',
)
const noSuch = computed(() => {
  const code = address.of('code')
  if (code === undefined || chosen.value || !run.value?.tally) return ''
  const column = address.of('column')
  return `This run has no violation “${code}”${column ? ` in “${column}”` : ''}; all rejected rows are shown.`
})

function choose(c: Choice | undefined): void {
  address.go({ code: c?.code, column: c?.column, page: undefined })
}

const goToRun = (runID: string): void =>
  address.go({ run: runID, code: undefined, column: undefined, remedy: undefined, page: undefined })

/** The saved layout is another one than that by which the run has read. */
const isOld = computed(() => {
  const [saved, read] = [delivery.value?.layout, run.value?.readAs]
  return saved !== undefined && read !== undefined && !readsAs(saved, read)
})

watch(
  () => id,
  () => {
    unfollow()
    delivery.value = run.value = undefined
    runs.value = []
    void load()
  },
  { immediate: true },
)
watch(
  () => address.of('run'),
  () => {
    if (delivery.value) showAsked().catch((e: unknown) => (error.value = e))
  },
)
onBeforeUnmount(() => {
  latest++
  unfollow()
})

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
  const parts =
    l.form === 'workbook'
      ? [`sheet ${l.sheet}`]
      : [
          l.encoding,
          l.form === 'fixed'
            ? `fixed width, ${l.cuts.length + 1} columns`
            : l.fold > 0
              ? `${l.fold} lines to a row`
              : delimiterName(l.delimiter),
        ]
  if (l.skipRows > 0) parts.push(`${counted(l.skipRows, 'line', 'lines')} above the table`)
  parts.push(l.headerRows === 0 ? 'no header' : counted(l.headerRows, 'header row', 'header rows'))
  if (l.footerRows > 0) parts.push(`${counted(l.footerRows, 'line', 'lines')} below the table`)
  if (run.value?.blankLines) parts.push(`${counted(run.value.blankLines, 'blank line', 'blank lines')} ignored`)
  return parts.join(', ')
})

/** By what a run has sifted. */
function rulesOf(r: RunHead): string {
  if (!r.target) return 'no target'
  const target = `${r.target.name}, version ${r.target.version}`
  return r.mapping ? `${target}, by ${r.mapping.name}, version ${r.mapping.version}` : target
}

/** What the tally alone does not say. */
const remarks = computed(() => {
  const r = run.value
  return [
    ...(r?.unfit ?? []).map((u) => `${u.column}, fed by “${u.header}”: ${u.message}`),
    ...(r?.excluded ?? []).map((x) => `${counted(x.rows, 'row', 'rows')} excluded: ${x.reason}`),
    ...(r?.leftOut ? [`Left out, as the mapping says: ${r.leftOut.join(', ')}`] : []),
    ...(r?.unjudged ?? []).map(
      (u) => `“${u.rule}” was not judged in ${counted(u.rows, 'row', 'rows')}, where a value is missing or wrong`,
    ),
  ]
})

const hasRemedied = computed(() => run.value?.remedies?.some((r) => r.changed > 0) ?? false)

/** The remedy that the address names, counted from 1. */
const remedy = computed(() => {
  const place = Number(address.of('remedy')) - 1
  return run.value?.remedies?.[place] ? place : undefined
})

const noRemedy = computed(() => {
  const asked = address.of('remedy')
  return asked !== undefined && remedy.value === undefined && run.value?.tally
    ? `This run has no remedy “${asked}”.`
    : ''
})

const chooseRemedy = (place: number | undefined): void =>
  address.go({ remedy: place === undefined ? undefined : place + 1 })
</script>

<template>
  <DeliveryHead
    :id="id"
    :delivery="delivery"
    :drafts="book.drafts.value"
    :changes="work.rules.value?.changes.length"
    :state="run ? (run.state === 'done' ? (run.verdict ?? 'done') : run.state) : undefined"
    @changed="(d) => (delivery = d)"
  />
  <OthersNote v-if="work.rules.value" :work="work" />
  <FailureNote v-if="error" :error="error" :retry="load" class="part" />
  <ElSkeleton v-if="!delivery && !error" :rows="5" animated />
  <template v-if="delivery && !delivery.refusal">
    <section class="sheet part" aria-label="Run">
      <RunPanel :delivery="id" :last="run ?? runs[0]" :busy="isBusy" @started="goToRun" />
      <div v-if="runs.length > 1" class="earlier">
        <label for="runs" class="soft">Run shown</label>
        <ElSelect id="runs" :model-value="run?.id" size="small" class="runs" aria-label="Run shown" @change="goToRun">
          <ElOption
            v-for="r in runs"
            :key="r.id"
            :value="r.id"
            :label="`${time(r.createdAt)}: ${rulesOf(r)}, ${r.verdict ?? r.state}`"
          />
        </ElSelect>
      </div>
    </section>

    <section v-if="runs.length === 0 && !run && !error" class="sheet part" aria-label="Next step">
      <h2>Not sifted yet</h2>
      <p>
        The <RouterLink :to="`/deliveries/${id}/reading`">Reading station</RouterLink> shows whether it is read right,
        the <RouterLink :to="`/deliveries/${id}/profile`">Profile station</RouterLink> what is in it and what is odd;
        both there and at the <RouterLink :to="`/deliveries/${id}/rules`">Rules station</RouterLink> one chooses or
        drafts the target that the rows are meant for, and mends what does not fit. Where target and mapping are
        known, choose them above, and sift.
      </p>
    </section>

    <p v-if="strange" class="said" role="status">{{ strange }}</p>
    <p v-if="noSuch" class="said" role="status">{{ noSuch }}</p>
    <p v-if="noRemedy" class="said" role="status">{{ noRemedy }}</p>
    <p v-if="isOld" class="said" role="status">
      The layout was saved anew after this run: sift again to have the rows as they read now.
    </p>
    <p v-if="lost" class="said" role="status">The run cannot be followed: {{ lost }}.</p>

    <section v-if="run && isBusy" class="sheet part" aria-label="Progress" aria-live="polite">
      <div class="top">
        <h2>
          {{
            run.trouble?.nextAt
              ? 'Waiting to try again'
              : run.state === 'waiting'
                ? 'Waiting for its turn'
                : 'Sifting'
          }}
        </h2>
        <span class="soft"
          >{{ counted(run.progress.rows, 'row', 'rows') }}, {{ size(run.progress.bytes) }} of
          {{ size(run.progress.totalBytes) }}</span
        >
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
            <p v-for="remark in remarks" :key="remark" class="soft">{{ remark }}</p>
          </div>
          <TallyBar :tally="run.tally" class="tally" :refused="run.verdict === 'refused'" />
        </div>
        <RunDownloads :run="run" />
      </section>

      <RunComparison :run="run" :runs="runs" :other="address.of('with')" @choose="(r) => address.go({ with: r })" />

      <DraftStrip v-if="(work.rules.value?.changes.length ?? 0) > 0" :delivery="id" :work="work" />
      <div class="split">
        <section class="sheet violations" aria-label="Violations">
          <div class="head">
            <h2>Violations</h2>
            <span class="soft">{{ run.violations?.length ? 'choose one to see its rows' : '' }}</span>
          </div>
          <ViolationList v-if="run.violations?.length" :groups="run.violations" :chosen="choice" @choose="choose">
            <template #default="{ group }"><CureList :run="run" :group="group" :work="work" /></template>
          </ViolationList>
          <p v-else class="soft none">None was found.</p>
          <template v-if="hasRemedied">
            <div class="head">
              <h2>Cells cleaned</h2>
              <span class="soft">choose one to see before and after</span>
            </div>
            <RemedyList :remedies="run.remedies ?? []" :chosen="remedy" @choose="chooseRemedy" />
          </template>
        </section>
        <section class="sheet rejects">
          <RejectTable v-if="isRejecting" :run="run" :choice="choice" />
          <ViolationTable v-else-if="chosen" :run="run" :group="chosen" />
        </section>
      </div>
    </template>
  </template>
</template>

<style scoped>
.said {
  margin: 0 0 12px;
  padding: 6px 12px;
  border-left: 3px solid var(--grain);
  background: var(--grain-wash);
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

.split {
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
  flex-wrap: wrap;
  align-items: baseline;
  gap: 0 12px;
  padding: 10px 14px;
}

.none {
  padding: 0 14px 12px;
  margin: 0;
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
