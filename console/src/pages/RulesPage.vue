<script setup lang="ts">
/** The Rules station: a column's pairing, rule and remedies are one thing, and every change is tried at once. */
import { ElButton, ElSkeleton } from 'element-plus'
import { computed, onBeforeUnmount, onMounted, ref, shallowRef, watch } from 'vue'
import { useRouter } from 'vue-router'
import { useAddress } from '../address'
import {
  answered,
  api,
  type Delivery,
  type RemedyHelp,
  type Rules,
  type Step,
  type Suggestion,
  type Suggestions,
} from '../api/client'
import { stream } from '../api/stream'
import DeliveryHead from '../components/DeliveryHead.vue'
import FailureNote from '../components/FailureNote.vue'
import { useDrafts } from '../drafts'
import { counted } from '../format'
import BeginRules from '../rules/BeginRules.vue'
import ColumnRail from '../rules/ColumnRail.vue'
import ColumnRule from '../rules/ColumnRule.vue'
import { lastOf, useRules } from '../rules/draft'
import ManyColumns from '../rules/ManyColumns.vue'
import {
  datatypeOf,
  fedBy,
  fedByPlace,
  feedOf,
  inOrder,
  isSameHeader,
  leftOutOf,
  listOf,
  objectOf,
} from '../rules/model'
import OthersNote from '../rules/OthersNote.vue'
import OverRows from '../rules/OverRows.vue'
import { partNames, partsOf, type PartName } from '../rules/parts'
import RowTable from '../rules/RowTable.vue'
import RulesName from '../rules/RulesName.vue'
import { useSamples } from '../rules/samples'
import SaveRules from '../rules/SaveRules.vue'
import SpellingPanel from '../rules/SpellingPanel.vue'
import SuggestionPanel from '../rules/SuggestionPanel.vue'
import TallyStrip from '../rules/TallyStrip.vue'
import TextView from '../rules/TextView.vue'
import UndoButtons from '../rules/UndoButtons.vue'
import WrongValues from '../rules/WrongValues.vue'

const { id } = defineProps<{ id: string }>()
const address = useAddress()
const router = useRouter()
const book = useDrafts(() => id)
const work = useRules(() => id)
const { rules, columns, rehearsal, isOld, state, error, since } = work
const samples = useSamples(
  () => id,
  () => rehearsal.value !== undefined,
)
const delivery = ref<Delivery>()
const failure = ref<unknown>()
const isLoaded = ref(false)
const isSaving = ref(false)
const said = ref('')
const help = shallowRef<RemedyHelp[]>([])
const pairs = shallowRef<Suggestion[]>([])
const picked = ref<string[]>([])
let latest = 0
let pairing = new AbortController()

const part = computed<PartName | undefined>(() => partNames.find((p) => p === address.of('over')))
const isText = computed(() => address.of('view') === 'text')
const column = computed(() =>
  part.value || isText.value
    ? undefined
    : (columns.value.find((c) => c.name === address.of('column')) ??
      (address.of('column') === undefined
        ? (columns.value.find((c) => c.name === held.value) ?? worst.value)
        : undefined)),
)
/** The column with which one has begun; it stays at hand when it is mended. */
const held = ref('')
/** The column with which one begins: that in which most rows are wrong. */
const worst = computed(() => {
  const wrong = new Map((rehearsal.value?.columns ?? []).map((c) => [c.column, c.wrong]))
  return [...columns.value].sort((a, b) => (wrong.get(b.name) ?? 0) - (wrong.get(a.name) ?? 0))[0]
})
const strange = computed(() => {
  const asked = address.of('column')
  return asked !== undefined && rules.value && !columns.value.some((c) => c.name === asked)
    ? `The target has no column “${asked}”.`
    : ''
})
const fit = computed(() => rehearsal.value?.columns.find((c) => c.column === column.value?.name))
const parts = computed(() => (rules.value ? partsOf(rules.value, rehearsal.value) : []))
const changes = computed(() => rules.value?.changes.length ?? 0)
const isWhole = computed(() => rehearsal.value?.whole === true && !isOld.value)
const isChanged = computed(() => Boolean(rules.value?.target.changed || rules.value?.mapping?.changed))
const leftOut = computed(() => (rules.value ? leftOutOf(rules.value).map((l) => l.header) : []))
const rowKind = computed(
  () => address.of('rows') ?? (column.value && (fit.value?.wrong ?? 0) > 0 ? 'column' : 'rejected'),
)

async function load(): Promise<void> {
  const mine = ++latest
  failure.value = undefined
  try {
    const found = await answered(api.GET('/api/v1/deliveries/{id}', { params: { path: { id } } }))
    if (mine !== latest) return
    delivery.value = found
    document.title = `${found.name} · Rules · Sieb`
    if (found.refusal) return
    void book.load()
    const has = await work.load()
    const last = lastOf(found)
    // By what the delivery was sifted last, it is worked on.
    if (!has && !work.error.value && last) await work.begin(last)
    isLoaded.value = true
  } catch (e) {
    if (mine === latest) failure.value = e
  }
}

onMounted(async () => {
  try {
    help.value = (await answered(api.GET('/api/v1/remedies'))).items
  } catch {
    help.value = [] // the form is of use without it
  }
})

/** Looks for what may feed the columns that nothing feeds. */
async function lookForPairs(): Promise<void> {
  pairing.abort()
  pairing = new AbortController()
  const { signal } = pairing
  const unfed = (rehearsal.value?.columns ?? []).filter((c) => !c.place)
  if (unfed.length === 0 || unfed.length > 200) {
    pairs.value = []
    return
  }
  try {
    await stream<Suggestions>(
      `/api/v1/deliveries/${id}/rehearsals/suggestions`,
      { pairs: true },
      (s) => {
        if (!signal.aborted) pairs.value = s.items.filter((i) => i.kind === 'pair')
      },
      signal,
    )
  } catch {
    pairs.value = [] // pairing by hand goes on
  }
}

/** A column that nothing feeds is fed by what fits best; each of the file's columns feeds one. */
const bestPairs = computed(() => {
  const taken = new Set<string>()
  const fedColumns = new Set<string>()
  return [...pairs.value]
    .sort((a, b) => b.cells - a.cells)
    .filter((p) => {
      const from = JSON.stringify(p.steps[0]?.value)
      if (taken.has(from) || fedColumns.has(p.column ?? '')) return false
      taken.add(from)
      fedColumns.add(p.column ?? '')
      return true
    })
})

watch(
  () => rehearsal.value && !isOld.value && column.value?.name,
  (name) => {
    if (name) held.value = name
  },
)
// What was refused of one column is of no concern at another.
watch(
  () => [column.value?.name, part.value, isText.value],
  (_, before) => {
    if (before[0] !== undefined || before[1] !== undefined) error.value = undefined
  },
)
watch(
  () => id,
  () => {
    delivery.value = undefined
    held.value = ''
    isLoaded.value = false
    void load()
  },
  { immediate: true },
)
watch(
  () => rehearsal.value?.whole && !isOld.value && state.value,
  (is) => {
    if (is) void lookForPairs()
  },
)
onBeforeUnmount(() => {
  latest++
  pairing.abort()
})

async function change(words: string, steps: Step[]): Promise<boolean> {
  said.value = ''
  const done = await work.change(words, steps)
  if (done) said.value = `Done: ${words}.`
  return done
}

function pair(all: Suggestion[]): void {
  void change(
    all.length === 1 ? all[0]!.words : `pair ${counted(all.length, 'column', 'columns')}`,
    all.flatMap((p) => p.steps),
  )
}

/** The place of a column of a delivery without a header, from 1; 0 where a header names it. */
const placeOf = (header: string): number =>
  rehearsal.value?.named === false ? rehearsal.value.header.indexOf(header) + 1 : 0

function feed(name: string, header: string): void {
  const c = columns.value.find((o) => o.name === name)
  if (!c || !rules.value) return
  const place = placeOf(header)
  if (place > 0) void change(`${name} from column ${place}`, fedByPlace(c, place))
  else void change(`${name} from ${header}`, fedBy(c, header, rules.value))
}

const isUnfed = (name: string): boolean => !rehearsal.value?.columns.find((c) => c.column === name)?.place

/** Of a delivery without a header: its columns in the target's order, where their counts agree. */
const orderly = computed(() =>
  rehearsal.value?.named === false && columns.value.some((c) => feedOf(c).kind === 'header' && isUnfed(c.name))
    ? inOrder(columns.value, rehearsal.value.header.length)
    : [],
)

function leave(header: string, on: boolean): void {
  if (!rules.value) return
  const steps: Step[] = on
    ? [{ in: rules.value.mapping ? 'mapping' : 'target', do: 'add', path: ['leftOut'], value: header }]
    : leftOutOf(rules.value)
        .filter((l) => isSameHeader(l.header, header))
        .map((l) => ({ in: l.into, do: 'remove', path: ['leftOut'], value: l.header }))
  void change(on ? `leave ${header} out` : `ask about ${header} again`, steps)
}

/** Adds a column to the target that a column of the file feeds. */
function addColumn(header: string): void {
  const base =
    header
      .normalize('NFKD')
      .replace(/\p{M}/gu, '')
      .toLowerCase()
      .replace(/[^\p{L}\p{N}]+/gu, '_')
      .replace(/^_+|_+$/g, '') || 'column'
  let name = base
  for (let n = 2; columns.value.some((c) => c.name === name); n++) name = `${base}_${n}`
  const steps: Step[] = [
    {
      in: 'target',
      do: 'add',
      path: ['columns'],
      value: rules.value?.mapping || rehearsal.value?.named === false ? { name } : { name, titles: [header] },
    },
  ]
  const place = placeOf(header)
  if (place > 0)
    steps.push({
      in: rules.value?.mapping ? 'mapping' : 'target',
      do: 'set',
      path: ['columns', name, 'position'],
      value: place,
    })
  else if (rules.value?.mapping)
    steps.push({ in: 'mapping', do: 'set', path: ['columns', name, 'from'], value: header })
  void change(`a new column ${name} from ${header}`, steps).then((done) => {
    if (done) choose(name)
  })
}

const choose = (name: string): void =>
  address.go({
    column: name,
    over: undefined,
    view: undefined,
    rows: undefined,
    value: undefined,
    empty: undefined,
    page: undefined,
    find: undefined,
  })
const showPart = (p: string): void =>
  address.go({ over: p, column: undefined, view: undefined, rows: undefined, value: undefined })

function saved(r: Rules, sift: boolean): void {
  isSaving.value = false
  said.value = `Saved: target ${r.target.name}, version ${r.target.version}${r.mapping ? `, mapping ${r.mapping.name}, version ${r.mapping.version}` : ''}.`
  if (sift) void start(r)
}

async function start(r: Rules): Promise<void> {
  try {
    const run = await answered(
      api.POST('/api/v1/runs', {
        body: {
          delivery: id,
          // What was rehearsed is what runs, whatever was saved meanwhile.
          target: r.target.name,
          targetVersion: r.target.version,
          mapping: r.mapping?.name,
          mappingVersion: r.mapping?.version,
        },
      }),
    )
    await router.push(`/deliveries/${id}?run=${run.id}`)
  } catch (e) {
    error.value = e
  }
}

/** Throws the changes away, and goes on with the newest versions. */
async function discard(): Promise<void> {
  const r = rules.value
  if (!r) return
  isSaving.value = false
  await work.begin({ target: r.target.name, mapping: r.mapping?.name })
}

async function beginAnew(): Promise<void> {
  try {
    await work.drop()
    address.go({
      column: undefined,
      over: undefined,
      view: undefined,
      rows: undefined,
      value: undefined,
      suggest: undefined,
    })
  } catch (e) {
    error.value = e
  }
}

const isSuggesting = computed(() => address.of('suggest') === 'open' && rules.value !== undefined)

/** Ctrl+Z, and Ctrl+Shift+Z or Ctrl+Y, where nothing is typed into. */
function onKey(e: KeyboardEvent): void {
  const key = e.key.toLowerCase()
  if (
    !(e.ctrlKey || e.metaKey) ||
    (key !== 'z' && key !== 'y') ||
    (e.target as HTMLElement).closest('input, textarea')
  )
    return
  e.preventDefault()
  void (e.shiftKey || key === 'y' ? work.redo() : work.undo())
}
onMounted(() => window.addEventListener('keydown', onKey))
onBeforeUnmount(() => window.removeEventListener('keydown', onKey))

const columnWords = computed(() => String(column.value?.demands.description ?? ''))
const pickedColumns = computed(() => columns.value.filter((c) => picked.value.includes(c.name)))
const excludedOf = computed(() => listOf(objectOf(rules.value?.target.view).columns).length)
</script>

<template>
  <DeliveryHead
    :id="id"
    :delivery="delivery"
    :drafts="book.drafts.value"
    :changes="rules ? changes : undefined"
    @changed="(d) => (delivery = d)"
  />
  <FailureNote v-if="failure" :error="failure" :retry="load" class="part" />
  <ElSkeleton v-if="!isLoaded && !failure && !delivery?.refusal" :rows="6" animated />
  <template v-if="delivery && !delivery.refusal && isLoaded">
    <FailureNote v-if="error" :error="error" class="part" />
    <BeginRules v-if="!rules" :delivery="delivery" :begin="work.begin" />
    <template v-else>
      <p class="by">
        <RulesName :rules="rules" />
        <span class="links">
          <button type="button" class="link" @click="address.go({ view: isText ? undefined : 'text' })">
            {{ isText ? 'as a form' : 'as text' }}
          </button>
          <button type="button" class="link" @click="beginAnew">
            {{ changes > 0 ? 'throw the draft away' : 'another target or mapping' }}
          </button>
        </span>
      </p>
      <TallyStrip
        class="sheet strip"
        :rehearsal="rehearsal"
        :old="isOld"
        :changed="changes"
        :since="since"
        @shifted="address.go({ rows: 'changed', value: undefined })"
      >
        <UndoButtons :work="work" />
        <ElButton size="small" @click="address.go({ suggest: 'open' })">Suggestions</ElButton>
        <ElButton v-if="isChanged" size="small" type="primary" @click="isSaving = true">Save…</ElButton>
        <ElButton v-else size="small" type="primary" @click="start(rules)">Sift</ElButton>
      </TallyStrip>
      <OthersNote :work="work" />
      <p v-if="rehearsal?.unreferred" class="said">
        Not asked, since it is not there yet: {{ rehearsal.unreferred.join(', ') }}. Sift a delivery of it first.
      </p>
      <p class="unseen" role="status">{{ said }}</p>
      <p v-if="strange" class="said" role="status">{{ strange }}</p>
      <TextView v-if="isText" :rules="rules" :change="change" />
      <div v-else class="station">
        <ColumnRail
          :columns="columns"
          :rehearsal="rehearsal"
          :chosen="column?.name"
          :parts="parts"
          :part="part"
          :pairs="bestPairs"
          :left-out="leftOut"
          :picked="picked"
          :samples="samples"
          @choose="choose"
          @part="showPart"
          @pair="pair"
          @feed="feed"
          @leave="leave"
          @pick="(p) => (picked = p)"
          @add="addColumn"
        />
        <div class="middle">
          <p v-if="orderly.length > 0" class="said order">
            The file has no header. It has as many columns as the target takes:
            <ElButton size="small" type="primary" @click="change('the columns in this order', orderly)"
              >Take them in this order</ElButton
            >
          </p>
          <ManyColumns
            v-if="picked.length > 0"
            :columns="pickedColumns"
            :help="help"
            @change="change"
            @done="picked = []"
          />
          <template v-else-if="column">
            <section class="sheet" :aria-label="`Rule of ${column.name}`">
              <div class="head">
                <h2>{{ column.name }}</h2>
                <span class="soft">{{ columnWords }}</span>
              </div>
              <ColumnRule
                :column="column"
                :rehearsal="rehearsal"
                :help="help"
                :mapping="rules.mapping?.name"
                :samples="samples"
                @change="change"
                @feed="(header) => feed(column!.name, header)"
              />
            </section>
            <WrongValues
              :unfed="fit !== undefined && !fit.place && feedOf(column).kind === 'header'"
              :delivery="id"
              :column="column"
              :state="state"
              :whole="isWhole"
              :page="address.page()"
              :find="address.of('find')"
              @change="change"
              @rows="(v) => address.go({ rows: 'column', value: v, empty: v === '' ? 'yes' : undefined })"
              @page="(p) => address.go({ page: p === 1 ? undefined : p })"
              @find="(t) => address.go({ find: t || undefined, page: undefined })"
            />
            <SpellingPanel
              v-if="datatypeOf(column) === 'string' && fit?.place"
              :key="column.name"
              :delivery="id"
              :column="column"
              :state="state"
              :open="address.of('spellings') === 'open'"
              @open="(on) => address.go({ spellings: on ? 'open' : undefined })"
              @change="change"
            />
          </template>
          <OverRows
            v-else-if="part"
            :delivery="id"
            :rules="rules"
            :rehearsal="rehearsal"
            :columns="columns"
            :part="part"
            :state="state"
            @change="change"
            @rows="(r) => address.go({ rows: 'column', value: undefined, rule: r })"
          />
          <p v-else-if="excludedOf === 0" class="soft">The target has no columns.</p>
          <RowTable
            :delivery="id"
            :state="state"
            :whole="isWhole"
            :column="column?.name ?? (part ? address.of('rule') : undefined)"
            :header="fit?.header"
            :kind="rowKind"
            :value="address.of('empty') ? '' : address.of('value')"
            @kind="(k) => address.go({ rows: k, value: undefined, empty: undefined })"
            @forget="address.go({ value: undefined, empty: undefined })"
          />
        </div>
      </div>
      <SuggestionPanel
        :delivery="id"
        :open="isSuggesting"
        :state="state"
        @close="address.go({ suggest: undefined })"
        @change="change"
      />
      <SaveRules
        :rules="rules"
        :open="isSaving"
        :save="work.save"
        :rebase="work.rebase"
        :trouble="error"
        @close="isSaving = false"
        @saved="saved"
        @drop="discard"
      />
    </template>
  </template>
</template>

<style scoped>
.part {
  padding: 14px;
  margin-bottom: 14px;
}

.by {
  margin: 0 0 8px;
}

.links {
  display: inline-flex;
  gap: 14px;
  margin-left: 14px;
}

.said {
  margin: 8px 0;
  padding: 6px 12px;
  border-left: 3px solid var(--grain);
  background: var(--grain-wash);
}

/* The account stays in sight while one works below it. */
.strip {
  position: sticky;
  top: 0;
  z-index: 5;
}

.station {
  display: grid;
  grid-template-columns: 340px minmax(0, 1fr);
  gap: 10px;
  margin-top: 10px;
  align-items: start;
}

.station > :first-child {
  position: sticky;
  top: 72px;
  max-height: calc(100vh - 82px);
}

.middle {
  display: grid;
  gap: 10px;
  min-width: 0;
}

.middle > * {
  min-width: 0;
}

.head {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 4px 12px;
  padding: 8px 12px;
  border-bottom: 1px solid var(--line);
}

@media (max-width: 900px) {
  .station {
    grid-template-columns: minmax(0, 1fr);
  }

  .station > :first-child {
    position: static;
    max-height: 46vh;
  }
}
</style>
