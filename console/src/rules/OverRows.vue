<script setup lang="ts">
/** What concerns rows and the delivery: row rules, what is left out, the key, references, and rules of the delivery. */
import { ElAutocomplete, ElButton, ElInput, ElOption, ElSelect, ElSwitch } from 'element-plus'
import { computed, onBeforeUnmount, ref, shallowRef, watch } from 'vue'
import { answered, api, ServiceError, type Rehearsal, type Rules, type Step } from '../api/client'
import { stream } from '../api/stream'
import { count, counted } from '../format'
import { listOf, objectOf, textsOf, type ColumnSpec, type Properties } from './model'
import type { PartName } from './parts'

const {
  delivery,
  rules,
  rehearsal = undefined,
  columns,
  part,
  state,
} = defineProps<{
  delivery: string
  rules: Rules
  rehearsal?: Rehearsal
  columns: ColumnSpec[]
  part: PartName
  state: number
}>()
const emit = defineEmits<{ change: [words: string, steps: Step[]]; rows: [rule: string] }>()

const target = computed(() => objectOf(rules.target.view))
const mapping = computed(() => (rules.mapping ? objectOf(rules.mapping.view) : undefined))
const habits = computed<'mapping' | 'target'>(() => (mapping.value ? 'mapping' : 'target'))
const names = computed(() => columns.map((c) => c.name))

/** Rows in which a rule is broken. */
const broken = (column: string, codes: string[]): number =>
  (rehearsal?.broken ?? [])
    .filter((b) => codes.includes(b.code) && b.column === column)
    .reduce((n, b) => n + b.rows, 0)

// --- Conditions, which are tried while they are typed.
const condition = ref('')
const words = ref('')
const trial = shallowRef<Rehearsal>()
const wrong = ref('')
const isTrying = ref(false)
let watching = new AbortController()
let timer = 0

const isExclusion = computed(() => part === 'exclude')
const title = computed(() => words.value.trim() || condition.value.trim())

/** The step that adds what is typed. */
function adding(): Step {
  const text = condition.value.trim()
  if (isExclusion.value)
    return { in: habits.value, do: 'add', path: ['exclude'], value: { condition: text, reason: title.value } }
  return { in: 'target', do: 'add', path: ['rowRules'], value: { name: title.value, condition: text } }
}

function stop(): void {
  window.clearTimeout(timer)
  watching.abort()
  trial.value = undefined
  wrong.value = ''
  isTrying.value = false
}

watch([condition, () => state], () => {
  stop()
  if (condition.value.trim() === '') return
  isTrying.value = true
  timer = window.setTimeout(() => void tryOut(), 350)
})
watch(
  () => part,
  () => {
    condition.value = words.value = ''
  },
)
onBeforeUnmount(stop)

async function tryOut(): Promise<void> {
  watching = new AbortController()
  const { signal } = watching
  try {
    await stream<Rehearsal>(
      `/api/v1/deliveries/${delivery}/rehearsals`,
      { steps: [adding()] },
      (r) => {
        if (!signal.aborted) trial.value = r
      },
      signal,
    )
  } catch (e) {
    if (!signal.aborted) wrong.value = e instanceof ServiceError ? (e.details[0] ?? e.message) : String(e)
  }
  if (!signal.aborted) isTrying.value = false
}

/** What the condition says of the delivery's rows. */
const answer = computed(() => {
  const t = trial.value
  if (!t) return ''
  const of = t.whole
    ? `all ${counted(t.tally.read, 'row', 'rows')}`
    : `the first ${counted(t.tally.read, 'row', 'rows')}`
  if (isExclusion.value) {
    const rows = (t.excluded ?? []).find((x) => x.reason === title.value)?.rows ?? 0
    return `It leaves ${counted(rows, 'row', 'rows')} of ${of} out.`
  }
  const failing = t.broken
    .filter((b) => b.code === 'rule.failed' && b.column === title.value)
    .reduce((n, b) => n + b.rows, 0)
  const unjudged = (t.unjudged ?? []).find((u) => u.rule === title.value)?.rows ?? 0
  return `${failing === 0 ? `It holds in ${of}` : `It does not hold in ${count(failing)} of ${of}`}${unjudged > 0 ? `; in ${count(unjudged)} a value is missing or wrong, and it is not judged` : ''}.`
})

const functions = [
  'has(',
  'cell("',
  'row',
  'line',
  'fileName',
  'today',
  '.startsWith("',
  '.endsWith("',
  '.contains("',
  '.matches("',
  '.size()',
  '.getFullYear()',
  '.getMonth()',
  '.getDayOfMonth()',
  '.getDayOfWeek()',
  ' && ',
  ' || ',
  ' == ',
  ' != ',
  ' <= ',
  ' >= ',
  ' in [',
]

/** Completes the last word: names of columns, headers within cell("…"), and what conditions know besides. */
/** The completing input says that an item is at hand also when none is. */
const vNoneAtHand = {
  mounted: (el: HTMLElement): void => {
    const tidy = (): void =>
      el.querySelector('[aria-activedescendant$="--1"]')?.removeAttribute('aria-activedescendant')
    new MutationObserver(tidy).observe(el, {
      subtree: true,
      attributes: true,
      attributeFilter: ['aria-activedescendant'],
    })
    tidy()
  },
}

function complete(text: string, give: (found: { value: string; label: string }[]) => void): void {
  const inCell = /cell\("([^"]*)$/.exec(text)
  if (inCell) {
    const begun = inCell[1] ?? ''
    give(
      (rehearsal?.header ?? [])
        .filter((h) => h.toLowerCase().includes(begun.toLowerCase()))
        .slice(0, 12)
        .map((h) => ({ value: `${text.slice(0, text.length - begun.length)}${h}")`, label: h })),
    )
    return
  }
  const word = /[\p{L}\p{N}_.]*$/u.exec(text)?.[0] ?? ''
  const before = text.slice(0, text.length - word.length)
  const found = [...names.value, ...functions].filter(
    (n) => word !== '' && n.trim().toLowerCase().startsWith(word.toLowerCase()) && n !== word,
  )
  give(found.slice(0, 12).map((n) => ({ value: before + n, label: n.trim() })))
}

function add(): void {
  emit('change', isExclusion.value ? `leave out: ${title.value}` : `rule: ${title.value}`, [adding()])
}

// What is refused stays as it was typed; what the draft has taken, is done.
watch(
  () => JSON.stringify([target.value, mapping.value]),
  () => {
    condition.value = words.value = ''
    header.value = equals.value = ''
    from.value = to.value = toColumn.value = ''
  },
)

const rowRules = computed(() =>
  listOf(target.value.rowRules).map((r, i) => {
    const o = objectOf(r)
    return {
      at: String(i),
      name: String(o.name ?? o.condition),
      condition: String(o.condition),
      action: String(o.onViolation ?? 'reject'),
    }
  }),
)
const exclusions = computed(() =>
  (
    [
      ['target', target.value],
      ['mapping', mapping.value],
    ] as const
  ).flatMap(([into, text]) =>
    listOf(text?.exclude).map((x, i) => {
      const o = objectOf(x)
      const reason = String(o.reason ?? o.condition)
      return {
        into,
        at: String(i),
        reason,
        condition: String(o.condition),
        rows: (rehearsal?.excluded ?? []).find((e) => e.reason === reason)?.rows ?? 0,
      }
    }),
  ),
)
const unjudged = (name: string): number => (rehearsal?.unjudged ?? []).find((u) => u.rule === name)?.rows ?? 0
const actions = [
  { value: 'reject', label: 'reject the row' },
  { value: 'flag', label: 'only flag it' },
  { value: 'refuse', label: 'refuse the delivery' },
]

// --- An exclusion without a condition that one writes.
const header = ref('')
const equals = ref('')
function leaveOut(): void {
  const text = `cell(${JSON.stringify(header.value)}) == ${JSON.stringify(equals.value)}`
  emit('change', `leave out rows in which ${header.value} is ${equals.value === '' ? 'empty' : equals.value}`, [
    {
      in: habits.value,
      do: 'add',
      path: ['exclude'],
      value: { condition: text, reason: `${header.value} is ${equals.value === '' ? 'empty' : equals.value}` },
    },
  ])
}

// --- The key.
const key = computed(() => textsOf(target.value.key))
const unique = computed(() => columns.filter((c) => c.demands.unique === true).map((c) => c.name))
const repeated = computed(() => objectOf(target.value.repeated))
const set = (text: string, path: string[], value: unknown): void =>
  emit('change', text, [
    value === undefined || value === '' || (Array.isArray(value) && value.length === 0)
      ? { in: 'target', do: 'drop', path }
      : { in: 'target', do: 'set', path, value },
  ])

// --- References.
const others = shallowRef<{ value: string; label: string }[]>([])
const from = ref('')
const to = ref('')
const toColumn = ref('')
watch(
  () => part,
  async () => {
    if (part !== 'references' || others.value.length > 0) return
    try {
      const query = { params: { query: { limit: 1000 } } }
      const [targets, codes] = await Promise.all([
        answered(api.GET('/api/v1/targets', query)),
        answered(api.GET('/api/v1/codes', query)),
      ])
      others.value = [
        ...codes.items.map((c) => ({ value: `codes:${c.name}`, label: `the code list ${c.name}` })),
        ...targets.items
          .filter((t) => t.name !== rules.target.name)
          .map((t) => ({ value: `resource:${t.name}`, label: `accepted rows of ${t.name}` })),
      ]
    } catch {
      others.value = []
    }
  },
  { immediate: true },
)
const references = computed(() =>
  (['foreignKeys', 'absentFrom'] as const).flatMap((list) =>
    listOf(target.value[list]).map((f, i) => {
      const o = objectOf(f)
      const r = objectOf(o.reference)
      const own = textsOf(o.columnReference)
      return {
        list,
        at: String(i),
        own,
        other: String(r.resource ?? r.codes ?? r.table ?? ''),
        its: textsOf(r.columnReference),
        wrong: broken(own.length > 1 ? `(${own.join(', ')})` : (own[0] ?? ''), [
          'reference.missing',
          'reference.present',
        ]),
      }
    }),
  ),
)
function refer(): void {
  const [kind = '', name = ''] = to.value.split(/:(.*)/s)
  const reference: Properties = { [kind]: name }
  if (toColumn.value && toColumn.value !== from.value && kind === 'resource')
    reference.columnReference = [toColumn.value]
  emit('change', `${from.value} is in ${name}`, [
    { in: 'target', do: 'add', path: ['foreignKeys'], value: { columnReference: [from.value], reference } },
  ])
}

// --- The delivery.
const rows = computed(() => objectOf(target.value.rows))
const whole = (text: string): number | undefined => (/^\d+$/.test(text.trim()) ? Number(text.trim()) : undefined)
const wholes = computed(() => (rehearsal?.broken ?? []).filter((b) => b.rows === 0))
</script>

<template>
  <section class="sheet" :aria-label="part">
    <template v-if="part === 'rules' || part === 'exclude'">
      <div class="head">
        <h2>{{ isExclusion ? 'Rows that are left out' : 'Row rules' }}</h2>
        <span class="soft">{{
          isExclusion
            ? 'known and not wanted: they are neither accepted nor rejected'
            : 'what holds between the columns of a row'
        }}</span>
      </div>
      <ul v-if="!isExclusion">
        <li v-for="r in rowRules" :key="r.at">
          <span class="what"
            ><b>{{ r.name }}</b
            ><code v-if="r.condition !== r.name">{{ r.condition }}</code></span
          >
          <button
            v-if="broken(r.name, ['rule.failed']) > 0"
            type="button"
            class="link bad"
            @click="emit('rows', r.name)"
          >
            {{ counted(broken(r.name, ['rule.failed']), 'row breaks it', 'rows break it') }}
          </button>
          <span v-else class="soft"
            >holds<template v-if="unjudged(r.name) > 0">, not judged in {{ count(unjudged(r.name)) }}</template></span
          >
          <ElSelect
            size="small"
            :model-value="r.action"
            class="action"
            :aria-label="`When ${r.name} is broken`"
            @change="
              (a: string) => set(`${r.name}: ${a}`, ['rowRules', r.at, 'onViolation'], a === 'reject' ? undefined : a)
            "
          >
            <ElOption v-for="a in actions" :key="a.value" :value="a.value" :label="a.label" />
          </ElSelect>
          <ElButton
            size="small"
            :aria-label="`Remove ${r.name}`"
            @click="
              emit('change', `without the rule ${r.name}`, [{ in: 'target', do: 'drop', path: ['rowRules', r.at] }])
            "
            >Remove</ElButton
          >
        </li>
        <li v-if="rowRules.length === 0" class="soft">No rule yet.</li>
      </ul>
      <ul v-else>
        <li v-for="x in exclusions" :key="x.into + x.at">
          <span class="what"
            ><b>{{ x.reason }}</b
            ><code v-if="x.condition !== x.reason">{{ x.condition }}</code></span
          >
          <span class="soft"
            >{{ counted(x.rows, 'row', 'rows')
            }}{{ mapping ? (x.into === 'target' ? ', of all senders' : ', of this sender') : '' }}</span
          >
          <ElButton
            size="small"
            :aria-label="`Remove ${x.reason}`"
            @click="
              emit('change', `no longer left out: ${x.reason}`, [{ in: x.into, do: 'drop', path: ['exclude', x.at] }])
            "
            >Remove</ElButton
          >
        </li>
        <li v-if="exclusions.length === 0" class="soft">No row is left out on purpose.</li>
      </ul>
      <form v-if="isExclusion" class="form" @submit.prevent="leaveOut">
        <h3>Leave out rows in which</h3>
        <div class="line">
          <ElSelect
            v-model="header"
            size="small"
            filterable
            placeholder="column of the file"
            aria-label="Column of the file"
          >
            <ElOption v-for="h in rehearsal?.header ?? []" :key="h" :value="h" :label="h" />
          </ElSelect>
          is <ElInput v-model="equals" size="small" placeholder="empty" aria-label="Value" />
          <ElButton size="small" type="primary" native-type="submit" :disabled="!header">Leave out</ElButton>
        </div>
      </form>
      <form class="form" @submit.prevent="add">
        <h3>{{ isExclusion ? 'Or by a condition' : 'Add a rule' }}</h3>
        <div v-none-at-hand class="condition">
          <ElAutocomplete
            v-model="condition"
            size="small"
            :fetch-suggestions="complete"
            :trigger-on-focus="false"
            :debounce="0"
            value-key="value"
            :placeholder="
              isExclusion
                ? 'cell(&quot;Ticket No.&quot;).startsWith(&quot;TEST&quot;)'
                : 'net_kg == gross_kg - tare_kg'
            "
            aria-label="Condition"
            spellcheck="false"
          >
            <template #default="{ item }"
              ><code>{{ item.label }}</code></template
            >
          </ElAutocomplete>
        </div>
        <ElInput
          v-model="words"
          size="small"
          :placeholder="isExclusion ? 'why, for the report' : 'what it says, in words'"
          :aria-label="isExclusion ? 'Reason' : 'Name of the rule'"
        />
        <p v-if="wrong" class="bad" role="alert">{{ wrong }}</p>
        <p v-else class="soft" role="status">
          {{
            answer ||
            (isTrying
              ? 'trying it on the rows …'
              : `Columns: ${names.slice(0, 8).join(', ')}${names.length > 8 ? ' …' : ''}`)
          }}
        </p>
        <ElButton
          size="small"
          type="primary"
          native-type="submit"
          :disabled="condition.trim() === '' || wrong !== '' || !trial"
          >{{ isExclusion ? 'Leave them out' : 'Add the rule' }}</ElButton
        >
      </form>
    </template>

    <template v-else-if="part === 'key'">
      <div class="head">
        <h2>Key</h2>
        <span class="soft">what tells rows apart</span>
      </div>
      <div class="form">
        <label
          >Columns that together occur only once
          <ElSelect
            size="small"
            multiple
            filterable
            :model-value="key"
            placeholder="none"
            aria-label="Columns of the key"
            @change="(k: string[]) => set(k.length > 0 ? `key ${k.join(', ')}` : 'no key', ['key'], k)"
          >
            <ElOption v-for="n in names" :key="n" :value="n" :label="n" />
          </ElSelect>
        </label>
        <p v-if="unique.length > 0" class="soft">Each by itself is unique: {{ unique.join(', ') }}.</p>
        <label
          >Of rows that repeat one another
          <ElSelect
            size="small"
            :model-value="String(repeated.keep ?? 'first')"
            aria-label="Which rows are kept"
            @change="
              (k: string) =>
                set(
                  `keep the ${k} of rows that repeat one another`,
                  ['repeated', 'keep'],
                  k === 'first' ? undefined : k,
                )
            "
          >
            <ElOption value="first" label="the first is kept" /><ElOption
              value="last"
              label="the last is kept"
            /><ElOption value="none" label="none is kept" />
          </ElSelect>
        </label>
        <label class="flag"
          ><ElSwitch
            size="small"
            :model-value="repeated.rows === true"
            aria-label="Whole rows"
            @change="
              (on) =>
                set(
                  on ? 'whole rows repeat one another too' : 'whole rows may repeat one another',
                  ['repeated', 'rows'],
                  on ? true : undefined,
                )
            "
          />
          Rows of which all values are the same repeat one another too</label
        >
      </div>
    </template>

    <template v-else-if="part === 'references'">
      <div class="head">
        <h2>References</h2>
        <span class="soft">values that occur in another table</span>
      </div>
      <p v-if="rehearsal?.unreferred" class="note">
        Not asked, since no row was accepted there yet: {{ rehearsal.unreferred.join(', ') }}.
      </p>
      <ul>
        <li v-for="f in references" :key="f.list + f.at">
          <span class="what"
            ><b>{{ f.own.join(', ') }}</b> {{ f.list === 'foreignKeys' ? 'is in' : 'is not yet in' }}
            <b>{{ f.other }}</b><span v-if="f.its.length > 0" class="soft"> ({{ f.its.join(', ') }})</span></span
          >
          <span v-if="f.wrong > 0" class="bad">{{ counted(f.wrong, 'row', 'rows') }}</span>
          <ElButton
            size="small"
            @click="
              emit('change', `without the reference to ${f.other}`, [
                { in: 'target', do: 'drop', path: [f.list, f.at] },
              ])
            "
            >Remove</ElButton
          >
        </li>
        <li v-if="references.length === 0" class="soft">No column refers to another table.</li>
      </ul>
      <form class="form" @submit.prevent="refer">
        <h3>Add a reference</h3>
        <div class="line">
          <ElSelect v-model="from" size="small" filterable placeholder="column" aria-label="Column that refers"
            ><ElOption v-for="n in names" :key="n" :value="n" :label="n"
          /></ElSelect>
          is in
          <ElSelect
            v-model="to"
            size="small"
            filterable
            placeholder="code list or table"
            no-data-text="No code list and no other target yet"
            aria-label="What it refers to"
            ><ElOption v-for="o in others" :key="o.value" :value="o.value" :label="o.label"
          /></ElSelect>
          <ElInput
            v-if="to.startsWith('resource:')"
            v-model="toColumn"
            size="small"
            :placeholder="from || 'its column'"
            aria-label="Column of the other table"
          />
          <ElButton size="small" type="primary" native-type="submit" :disabled="!from || !to">Add</ElButton>
        </div>
      </form>
    </template>

    <template v-else>
      <div class="head">
        <h2>The delivery</h2>
        <span class="soft">what it must be as a whole</span>
      </div>
      <p v-for="b in wholes" :key="b.code + b.column" class="note">{{ b.message }}</p>
      <div class="form">
        <label
          >At least so many rows<ElInput
            size="small"
            :model-modifiers="{ lazy: true }"
            :model-value="rows.minimum === undefined ? '' : String(rows.minimum)"
            placeholder="1"
            aria-label="At least so many rows"
            @change="(t: string) => set(`at least ${t || 1} rows`, ['rows', 'minimum'], whole(t))"
        /></label>
        <label
          >At most so many rows<ElInput
            size="small"
            :model-modifiers="{ lazy: true }"
            :model-value="rows.maximum === undefined ? '' : String(rows.maximum)"
            placeholder="any number"
            aria-label="At most so many rows"
            @change="(t: string) => set(`at most ${t || 'any'} rows`, ['rows', 'maximum'], whole(t))"
        /></label>
        <label
          >May be rejected: a number of rows, or a share such as 2%<ElInput
            size="small"
            :model-modifiers="{ lazy: true }"
            :model-value="String(objectOf(target.tolerance).rejected ?? '')"
            placeholder="no limit"
            aria-label="Tolerance"
            @change="
              (t: string) =>
                set(`tolerance ${t || 'without a limit'}`, ['tolerance', 'rejected'], t.trim() || undefined)
            "
        /></label>
        <label
          >A delivery whose bytes arrived before
          <ElSelect
            size="small"
            :model-value="String(target.repeats ?? 'accept')"
            aria-label="A repeated delivery"
            @change="(r: string) => set(`a repeated delivery: ${r}`, ['repeats'], r === 'accept' ? undefined : r)"
          >
            <ElOption value="accept" label="is taken" /><ElOption value="flag" label="is flagged" /><ElOption
              value="refuse"
              label="is refused"
            />
          </ElSelect>
        </label>
        <label
          >A column that is not known
          <ElSelect
            size="small"
            :model-value="String(target.newColumns ?? 'flag')"
            aria-label="A column that is not known"
            @change="
              (r: string) => set(`columns that are not known: ${r}`, ['newColumns'], r === 'flag' ? undefined : r)
            "
          >
            <ElOption value="flag" label="is flagged" /><ElOption value="refuse" label="refuses the delivery" />
          </ElSelect>
        </label>
      </div>
    </template>
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

ul {
  list-style: none;
  margin: 0;
  padding: 0;
}

li {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 4px 12px;
  padding: 5px 12px;
  border-top: 1px solid var(--line);
  font-size: 13px;
}

.what {
  flex: 1;
  min-width: 200px;
  overflow-wrap: anywhere;
}

code {
  margin-left: 10px;
  font-size: 12px;
}

.action {
  width: 160px;
}

.form {
  display: grid;
  gap: 6px;
  max-width: 640px;
  padding: 8px 12px 12px;
  border-top: 1px solid var(--line);
  font-size: 13px;
  justify-items: start;
}

.form label {
  display: grid;
  gap: 2px;
  width: 100%;
}

.form label.flag {
  display: flex;
  gap: 8px;
  align-items: center;
}

.form :deep(.el-input),
.condition {
  width: 100%;
}

.condition :deep(input) {
  font-family: 'DejaVu Sans Mono', Consolas, monospace;
}

.line {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px;
  width: 100%;
}

.line .el-select,
.line :deep(.el-input) {
  width: 190px;
}

h3 {
  font-size: 14px;
}

p {
  margin: 0;
}

.note {
  margin: 0;
  padding: 4px 12px;
}

.bad {
  color: var(--rust);
}
</style>
