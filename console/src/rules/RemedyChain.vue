<script setup lang="ts">
/** The remedies of a column in their order, with the cells that each changes. */
import { ElButton, ElInput, ElOption, ElSelect } from 'element-plus'
import { computed, ref, watch } from 'vue'
import type { Rehearsal, RemedyHelp, Step } from '../api/client'
import { count, counted, visible } from '../format'
import { givenWords, habit, habitIn, listOf, remedyOf, type ColumnSpec } from './model'

const {
  column,
  rehearsal = undefined,
  help,
} = defineProps<{ column: ColumnSpec; rehearsal?: Rehearsal; help: RemedyHelp[] }>()
const emit = defineEmits<{ change: [words: string, steps: Step[]] }>()

const said = computed(() => habit(column, 'remedies'))
const chain = computed(() => listOf(said.value.value))
const counts = computed(() => (rehearsal?.remedies ?? []).filter((r) => r.column === column.name))
const open = ref<number>()
const adding = ref('')
/** What the remedy that is added is given, by the names of its parameters. */
const given = ref<Record<string, string>>({})

const spec = computed(() => help.find((h) => h.name === adding.value))
const into = computed(() => habitIn(column))

function put(words: string, all: unknown[]): void {
  const path = ['columns', column.name, 'remedies']
  emit('change', words, [
    all.length === 0 && said.value.from !== 'target'
      ? { in: into.value, do: 'drop', path }
      : { in: into.value, do: 'set', path, value: all },
  ])
}

function move(at: number, by: number): void {
  const all = [...chain.value]
  const [one] = all.splice(at, 1)
  all.splice(at + by, 0, one)
  open.value = undefined
  put(`${column.name}: ${remedyOf(one).name} ${by < 0 ? 'earlier' : 'later'}`, all)
}

function remove(at: number): void {
  open.value = undefined
  put(
    `${column.name}: without ${remedyOf(chain.value[at]).name}`,
    chain.value.filter((_, i) => i !== at),
  )
}

/** Texts by texts, one pair in a line: before → after. */
function pairsOf(text: string): Record<string, string> {
  const pairs: Record<string, string> = {}
  for (const line of text.split('\n')) {
    const [before, after] = line.split(/→|=>|;/, 2)
    if (before !== undefined && after !== undefined) pairs[before.trim()] = after.trim()
  }
  return pairs
}

function add(): void {
  const s = spec.value
  if (!s) return
  const values: Record<string, unknown> = {}
  for (const p of s.parameters ?? []) {
    const text = given.value[p.name] ?? ''
    if (text === '') continue
    if (p.kind === 'pairs of texts') values[p.name] = pairsOf(text)
    else if (p.kind === 'whole number') values[p.name] = Number(text)
    else if (p.kind === 'list of texts' || p.kind === 'date patterns')
      values[p.name] = text
        .split(/[,\n]/)
        .map((t) => t.trim())
        .filter((t) => t !== '')
    else values[p.name] = text
  }
  const names = Object.keys(values)
  const first = s.parameters?.[0]?.name
  const one =
    names.length === 0 ? s.name : { [s.name]: names.length === 1 && names[0] === first ? values[names[0]!] : values }
  put(`${column.name}: ${s.name}`, [...chain.value, one])
}

// What is refused stays as it was typed; what is taken stands in the chain.
watch(
  () => `${column.name} ${JSON.stringify(chain.value)}`,
  () => {
    adding.value = ''
    given.value = {}
  },
)

const isReady = computed(
  () =>
    spec.value !== undefined &&
    (spec.value.parameters ?? []).every((p) => !p.required || (given.value[p.name] ?? '') !== ''),
)
const isLong = (kind: string): boolean => kind === 'pairs of texts'
</script>

<template>
  <div class="chain">
    <ol v-if="chain.length > 0">
      <li v-for="(r, i) in chain" :key="i">
        <span class="what"
          ><b>{{ remedyOf(r).name }}</b>
          <span class="soft given">{{ visible(givenWords(remedyOf(r).given)) }}</span></span
        >
        <button
          v-if="counts[i] && counts[i].changed > 0"
          type="button"
          class="link"
          :aria-expanded="open === i"
          @click="open = open === i ? undefined : i"
        >
          {{ counted(counts[i].changed, 'cell', 'cells') }}
        </button>
        <span v-else class="soft">{{ counts[i] ? 'no cell' : '' }}</span>
        <span v-if="(counts[i]?.spoilt ?? 0) > 0" class="bad" title="right as delivered, and breaking a rule since"
          >{{ count(counts[i]?.spoilt ?? 0) }} spoilt</span
        >
        <span class="moves">
          <button type="button" :disabled="i === 0" :aria-label="`${remedyOf(r).name} earlier`" @click="move(i, -1)">
            ↑
          </button>
          <button
            type="button"
            :disabled="i === chain.length - 1"
            :aria-label="`${remedyOf(r).name} later`"
            @click="move(i, 1)"
          >
            ↓
          </button>
          <button type="button" :aria-label="`Remove ${remedyOf(r).name}`" @click="remove(i)">×</button>
        </span>
        <table v-if="open === i" class="pairs">
          <tbody>
            <tr v-for="p in (counts[i]?.pairs ?? []).slice(0, 12)" :key="p.before + '\u0000' + p.after">
              <td>{{ visible(p.before) }}</td>
              <td aria-label="becomes">→</td>
              <td>{{ p.after === '' ? 'nothing' : visible(p.after) }}</td>
              <td class="number">{{ count(p.cells) }}</td>
            </tr>
          </tbody>
        </table>
      </li>
    </ol>
    <p v-else class="soft none">none</p>
    <div class="adding">
      <ElSelect
        v-model="adding"
        size="small"
        filterable
        clearable
        placeholder="Add a remedy…"
        aria-label="Add a remedy"
        @change="given = {}"
      >
        <ElOption v-for="h in help" :key="h.name" :value="h.name" :label="h.name"
          ><b>{{ h.name }}</b> <span class="soft">{{ h.does }}</span></ElOption
        >
      </ElSelect>
      <template v-if="spec">
        <p class="soft">{{ spec.does }}</p>
        <label v-for="p in spec.parameters ?? []" :key="p.name"
          ><span class="soft">{{ p.does }}{{ isLong(p.kind) ? '; in each line: before → after' : '' }}</span>
          <ElInput
            v-model="given[p.name]"
            size="small"
            :type="isLong(p.kind) ? 'textarea' : 'text'"
            :aria-label="p.name"
            :placeholder="p.required ? '' : 'may stay empty'"
          />
        </label>
        <ElButton size="small" type="primary" :disabled="!isReady" @click="add">Add {{ spec.name }}</ElButton>
      </template>
    </div>
  </div>
</template>

<style scoped>
.chain {
  font-size: 13px;
  min-width: 0;
}

ol {
  margin: 0;
  padding-left: 18px;
}

li {
  padding: 1px 0;
}

.what {
  margin-right: 8px;
  overflow-wrap: anywhere;
}

.moves {
  float: right;
}

.moves button {
  padding: 0 5px;
  border: 0;
  background: none;
  color: var(--soft);
  cursor: pointer;
}

.moves button:disabled {
  opacity: 0.3;
  cursor: default;
}

.bad {
  margin-left: 8px;
  color: var(--rust);
}

.pairs {
  margin: 2px 0 4px;
  border-collapse: collapse;
}

.pairs td {
  padding: 0 10px 0 0;
  white-space: pre-wrap;
  overflow-wrap: anywhere;
}

.none {
  margin: 0;
}

.adding {
  margin-top: 4px;
  display: grid;
  gap: 4px;
}

.adding p {
  margin: 0;
}
</style>
