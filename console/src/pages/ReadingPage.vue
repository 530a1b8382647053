<script setup lang="ts">
import { ElButton, ElOption, ElSelect, ElSkeleton } from 'element-plus'
import { computed, onBeforeUnmount, ref, shallowRef, watch } from 'vue'
import { useRouter } from 'vue-router'
import {
  answered,
  api,
  ServiceError,
  type Delivery,
  type Given,
  type Problems,
  type Reading,
  type SavedLayout,
} from '../api/client'
import DeliveryHead from '../components/DeliveryHead.vue'
import FailureNote from '../components/FailureNote.vue'
import { useDrafts } from '../drafts'
import { time } from '../format'
import ProblemList from '../reading/ProblemList.vue'
import RowGrid from '../reading/RowGrid.vue'
import SettingRow from '../reading/SettingRow.vue'
import { evidenceOf, markName, settingsOf, sheetLabel, type SettingName } from '../reading/settings'

const { id } = defineProps<{ id: string }>()
const router = useRouter()

const book = useDrafts(() => id)
const delivery = ref<Delivery>()
const reading = shallowRef<Reading>()
const problems = shallowRef<Problems>()
/** Settings made by hand, and those before each change, for undo. They are kept as a draft until they are saved. */
const given = shallowRef<Given>({})
const before = shallowRef<Given[]>([])
const layouts = ref<SavedLayout[]>([])
const error = ref<unknown>()
const busy = ref(false)
const said = ref('')
const grid = ref<InstanceType<typeof RowGrid>>()
const path = computed(() => ({ params: { path: { id } } }))
let latest = 0
let timer = 0

async function load(): Promise<void> {
  const mine = ++latest
  error.value = undefined
  try {
    const found = await answered(api.GET('/api/v1/deliveries/{id}', path.value))
    if (mine !== latest) return
    delivery.value = found
    document.title = `${found.name} · Reading · Sieb`
    if (found.refusal) return
    const draft = (await book.load()).layout
    given.value = draft?.given ?? savedByHand(found)
    before.value = draft?.before ?? []
    layouts.value = (await answered(api.GET('/api/v1/layouts', { params: { query: { limit: 50 } } }))).items
    if (mine === latest) await read()
  } catch (e) {
    if (mine === latest) error.value = e
  }
}

/** The settings of the saved layout that were made by hand; the others were detected around them. */
function savedByHand(d: Delivery): Given {
  const saved = (d.layout ?? {}) as Record<string, unknown>
  return Object.fromEntries(
    (d.byHand ?? []).filter((name) => name in saved).map((name) => [name, saved[name]]),
  ) as Given
}

/** Reads the delivery as the settings say. */
async function read(): Promise<void> {
  const mine = ++latest
  busy.value = true
  try {
    const r = await answered(
      api.POST('/api/v1/deliveries/{id}/reading', { ...path.value, body: { layout: given.value } }),
    )
    if (mine !== latest) return
    reading.value = r
    error.value = undefined
    problems.value = undefined
    if (r.layout) void look(mine)
  } catch (e) {
    if (mine === latest) error.value = e
  } finally {
    if (mine === latest) busy.value = false
  }
}

/** Asks for the problems until all rows were looked at. */
async function look(mine: number): Promise<void> {
  window.clearTimeout(timer)
  try {
    const p = await answered(
      api.POST('/api/v1/deliveries/{id}/reading/problems', { ...path.value, body: { layout: given.value } }),
    )
    if (mine !== latest) return
    problems.value = p
    if (!p.all) timer = window.setTimeout(() => void look(mine), 300)
  } catch (e) {
    if (mine === latest) error.value = e
  }
}

const mostSteps = 200

function take(to: Given, steps: Given[]): void {
  given.value = to
  before.value = steps.slice(-mostSteps)
  const isSaved = delivery.value !== undefined && JSON.stringify(to) === JSON.stringify(savedByHand(delivery.value))
  if (isSaved && before.value.length === 0) void book.dropLayout().catch((e: unknown) => (error.value = e))
  else book.keepLayout({ given: to, before: before.value })
  void read()
}

function change(to: Given): void {
  said.value = ''
  take(to, [...before.value, given.value])
}

function set(name: SettingName, value: Given[SettingName]): void {
  const to = { ...given.value, [name]: value } as Given
  if (name === 'form' && value !== 'fixed') delete to.cuts
  if (name === 'form' && value === 'fixed') {
    delete to.delimiter
    delete to.quoteChar
  }
  change(to)
}

function detect(name: SettingName): void {
  const to = { ...given.value }
  delete to[name]
  if (name === 'cuts' && to.form === 'fixed') delete to.form
  change(to)
}

function undo(): void {
  const last = before.value[before.value.length - 1]
  if (last) take(last, before.value.slice(0, -1))
}

/** Does what takes the draft's place, unless others changed it meanwhile: that is settled first. */
async function settle(done: (header: { 'If-Match': string }) => Promise<Delivery>, words: string): Promise<void> {
  error.value = undefined
  try {
    await book.settled()
    if (book.others.value) return
    delivery.value = await done(book.onState())
    book.forgetLayout()
    before.value = []
    said.value = words
  } catch (e) {
    if (e instanceof ServiceError && e.status === 412) await book.look()
    else error.value = e
  }
}

const save = (): Promise<void> =>
  settle(
    (header) =>
      answered(
        api.PUT('/api/v1/deliveries/{id}/layout', {
          params: { path: { id }, query: { settle: true }, header },
          body: given.value,
        }),
      ),
    'Saved: runs and profiles read the delivery like this from now on, and other deliveries can take it over.',
  )

async function forget(): Promise<void> {
  const was = given.value
  await settle(
    (header) => answered(api.DELETE('/api/v1/deliveries/{id}/layout', { params: { path: { id }, header } })),
    'The saved layout was removed; runs detect it again.',
  )
  if (!delivery.value?.layout) take({}, [was])
}

/** What others set that differs from what stands here, in words. */
const othersSet = computed(() => {
  const theirs = book.others.value
  if (!theirs) return ''
  const set = theirs === 'gone' ? savedByHand(delivery.value!) : theirs.given
  const names = new Set([...Object.keys(set), ...Object.keys(given.value)] as SettingName[])
  return [...names]
    .filter((n) => JSON.stringify(set[n]) !== JSON.stringify(given.value[n]))
    .map((n) => {
      const value = set[n]
      const words =
        value === undefined ? 'as detected' : typeof value === 'string' ? markName(value) : JSON.stringify(value)
      return `${settings.value.find((s) => s.name === n)?.label ?? n} ${words}`
    })
    .join(' · ')
})

// What others saved is known before it is told.
watch(book.others, async (theirs) => {
  try {
    if (theirs === 'gone') delivery.value = await answered(api.GET('/api/v1/deliveries/{id}', path.value))
  } catch (e) {
    error.value = e
  }
})

/** Puts one's own settings in the place of those of others. */
function keepMine(): void {
  book.seen()
  take(given.value, before.value)
}

/** Goes on with those of others; Undo brings one's own back. */
function takeTheirs(): void {
  const theirs = book.others.value
  if (!theirs) return
  const to = theirs === 'gone' ? savedByHand(delivery.value!) : theirs.given
  const steps = [...(theirs === 'gone' ? [] : (theirs.before ?? [])), given.value]
  book.seen()
  take(to, steps)
}

function takeOver(from: string): void {
  const layout = layouts.value.find((l) => l.delivery === from)
  if (!layout) return
  change(layout.layout)
  said.value = `Taken over from ${layout.name}.`
}

async function takeEach(): Promise<void> {
  try {
    await answered(api.POST('/api/v1/deliveries/{id}/members', path.value))
    await router.push('/')
  } catch (e) {
    error.value = e
  }
}

const settings = computed(() =>
  reading.value?.layout ? settingsOf(reading.value.layout, reading.value.sheets ?? []) : [],
)
const others = computed(() => layouts.value.filter((l) => l.delivery !== id))
/** What is told of a setting is told of the answer at hand, not of what was just asked for. */
const taken = computed<Given>(() => reading.value?.given ?? {})
const isSaved = (name: SettingName): boolean =>
  (delivery.value?.byHand ?? []).includes(name) &&
  JSON.stringify(delivery.value?.layout?.[name]) === JSON.stringify(taken.value[name])
const byHand = computed(() => Object.keys(taken.value).length)
const isUnsaved = computed(
  () => delivery.value !== undefined && JSON.stringify(given.value) !== JSON.stringify(savedByHand(delivery.value)),
)
const unsure = computed(
  () =>
    (reading.value?.evidence ?? []).filter(
      (e) => e.confidence < 0.75 && taken.value[e.setting as SettingName] === undefined,
    ).length,
)

watch(
  () => id,
  () => {
    delivery.value = reading.value = problems.value = undefined
    before.value = []
    said.value = ''
    void load()
  },
  { immediate: true },
)
onBeforeUnmount(() => {
  latest++
  window.clearTimeout(timer)
})
</script>

<template>
  <DeliveryHead
    :id="id"
    :delivery="delivery"
    :drafts="isUnsaved ? book.drafts.value : { rules: book.drafts.value?.rules }"
    @changed="(d) => (delivery = d)"
  />
  <FailureNote v-if="error" :error="error" :retry="reading ? read : load" class="failure" />
  <div v-if="error && before.length > 0" class="failure">
    <ElButton size="small" @click="undo">Undo the last change</ElButton>
  </div>
  <ElSkeleton v-if="!reading && !error && !delivery?.refusal" :rows="8" animated />

  <section v-if="reading && !reading.layout" class="sheet choose" aria-label="Files in the archive">
    <h2>The archive holds {{ reading.members?.length }} files</h2>
    <p>Choose the one that is to be read as this delivery, or take each out as a delivery of its own.</p>
    <ul>
      <li v-for="m in reading.members" :key="m">
        <ElButton size="small" @click="set('member', m)">Read this one</ElButton> {{ m }}
      </li>
    </ul>
    <ElButton type="primary" @click="takeEach">Take each out</ElButton>
  </section>

  <div v-if="reading?.layout && reading.top" class="station" :class="{ busy }">
    <section class="sheet settings" aria-label="Settings">
      <div class="head">
        <h2>How it reads</h2>
        <a class="skip" href="#rows" @click.prevent="grid?.focus()">To the rows</a>
        <span class="soft">{{
          unsure > 0 ? `${unsure} to check` : byHand > 0 ? `${byHand} set by hand` : 'all detected'
        }}</span>
      </div>
      <div class="actions">
        <ElButton size="small" :disabled="before.length === 0" @click="undo">Undo</ElButton>
        <ElButton size="small" :disabled="byHand === 0" @click="change({})">Detect all</ElButton>
        <ElButton size="small" type="primary" @click="save">Save layout</ElButton>
        <ElButton v-if="delivery?.layout" size="small" @click="forget">Forget saved</ElButton>
        <RouterLink :to="`/deliveries/${id}/rules`" class="on">on to the rules →</RouterLink>
      </div>
      <div v-if="book.others.value" class="told inset" role="alert">
        <p>
          Meanwhile somebody else
          {{
            book.others.value === 'gone'
              ? 'saved these settings, or threw the changes away'
              : `changed these settings, ${time(book.others.value.changedAt ?? '')}`
          }}<template v-if="othersSet">: {{ othersSet }}</template
          >. What you see is yours, and is not kept yet.
        </p>
        <ElButton size="small" type="primary" @click="keepMine">Keep mine</ElButton>
        <ElButton size="small" @click="takeTheirs">Take theirs; Undo brings mine back</ElButton>
      </div>
      <p v-else-if="isUnsaved" class="unsaved" role="status">
        Not saved:
        {{
          book.failure.value
            ? 'the changes could not be kept,'
            : book.isBehind.value
              ? 'keeping the changes …'
              : 'the changes are kept with the delivery,'
        }}
        runs and profiles do not know them yet.
      </p>
      <p v-else-if="said" class="said" role="status">{{ said }}</p>
      <div v-if="others.length > 0" class="over">
        <ElSelect
          size="small"
          placeholder="Take over the layout of…"
          :model-value="''"
          aria-label="Take over the layout of another delivery"
          filterable
          @change="takeOver"
        >
          <ElOption
            v-for="l in others"
            :key="l.delivery"
            :value="l.delivery"
            :label="`${l.name}, saved ${time(l.savedAt)}`"
          />
        </ElSelect>
      </div>
      <div v-if="reading.members?.length" class="over">
        <ElSelect
          size="small"
          :model-value="reading.layout.member"
          aria-label="File in the archive"
          @change="(m: string) => set('member', m)"
        >
          <ElOption v-for="m in reading.members" :key="m" :value="m" :label="m" />
        </ElSelect>
        <ElButton size="small" @click="takeEach">Take each out</ElButton>
      </div>
      <SettingRow
        v-for="s in settings"
        :key="s.name"
        :setting="s"
        :value="reading.layout[s.name as keyof typeof reading.layout] as never"
        :evidence="evidenceOf(reading.evidence ?? [], s.name)"
        :by-hand="taken[s.name] !== undefined"
        :saved="isSaved(s.name)"
        @set="(v) => set(s.name, v)"
        @detect="detect(s.name)"
      />
    </section>

    <div class="rows">
      <div class="sheet seen">
        <div v-if="(reading.sheets?.length ?? 0) > 1" class="tabs" role="group" aria-label="Sheets">
          <button
            v-for="s in reading.sheets"
            :key="s.name"
            type="button"
            :class="{ here: s.name === reading.layout.sheet }"
            :aria-pressed="s.name === reading.layout.sheet"
            @click="set('sheet', s.name)"
          >
            {{ sheetLabel(s) }}
          </button>
        </div>
        <p v-if="reading.top.rows.length === 0 && problems?.all" class="soft empty">
          Read like this, the delivery has no rows.
        </p>
        <RowGrid
          ref="grid"
          :delivery="id"
          :given="given"
          :layout="reading.layout"
          :columns="reading.columns ?? []"
          :top="reading.top"
          :total="Math.max(problems?.counted ?? 0, reading.top.counted)"
          :all="problems?.all ?? reading.top.all"
          :busy="busy"
          @cuts="(c) => set('cuts', c)"
          @failed="(e) => (error = e)"
        />
      </div>
      <section v-if="problems" class="sheet problems" aria-label="Problems">
        <ProblemList :problems="problems" @go="(row) => grid?.goTo(row)" />
      </section>
    </div>
  </div>
</template>

<style scoped>
.failure {
  margin-bottom: 12px;
}

.choose {
  padding: 14px;
}

.choose ul {
  list-style: none;
  padding: 0;
}

.choose li {
  padding: 3px 0;
  overflow-wrap: anywhere;
}

.station {
  display: grid;
  grid-template-columns: 350px minmax(0, 1fr);
  gap: 14px;
  align-items: start;
}

.busy {
  cursor: progress;
}

.head {
  display: flex;
  align-items: baseline;
  gap: 12px;
  padding: 10px 12px 4px;
}

.actions {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  padding: 4px 12px 10px;
}

.actions .el-button + .el-button {
  margin-left: 0;
}

.on {
  align-self: center;
  font-size: 13px;
}

.skip {
  position: absolute;
  clip-path: inset(50%);
}

.skip:focus {
  position: static;
  clip-path: none;
}

.unsaved {
  margin: 0;
  padding: 0 12px 8px;
  color: var(--grain);
}

.said {
  margin: 0;
  padding: 0 12px 8px;
  color: var(--leaf);
}

.over {
  padding: 0 12px 8px;
}

.settings {
  max-height: calc(100vh - 24px);
  overflow: auto;
  position: sticky;
  top: 12px;
}

.problems {
  margin-top: 14px;
}

.tabs {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
  padding: 8px 12px 0;
}

.tabs button {
  padding: 3px 10px;
  border: 1px solid var(--line);
  border-radius: 3px;
  background: none;
  color: var(--ink);
  cursor: pointer;
}

.tabs .here {
  background: var(--grain-wash);
  border-color: var(--grain);
  font-weight: 600;
}

.empty {
  margin: 0;
  padding: 10px 12px 0;
}

@media (max-width: 1000px) {
  .station {
    grid-template-columns: minmax(0, 1fr);
  }

  /* The rows come first and stay, so that what a setting does is seen. */
  .rows {
    display: contents;
  }

  .seen {
    position: sticky;
    top: 0;
    z-index: 3;
    order: -1;
  }

  .problems {
    margin: 0;
  }

  .settings {
    position: static;
    max-height: none;
  }
}
</style>
