<script setup lang="ts">
/** A column's rule as a form: what the table demands, and how this sender writes it. */
import { ElInput, ElOption, ElSelect } from 'element-plus'
import { computed } from 'vue'
import type { Property, Rehearsal, RemedyHelp, Step } from '../api/client'
import { visible } from '../format'
import { type ColumnSpec, datatypeOf, datatypeSteps, feedOf, habit, habitIn, setting, unfed } from './model'
import { demands, fits, habits } from './fields'
import PropertyField from './PropertyField.vue'
import RemedyChain from './RemedyChain.vue'

const {
  column,
  rehearsal = undefined,
  help,
  mapping = undefined,
  samples = new Map(),
} = defineProps<{
  column: ColumnSpec
  rehearsal?: Rehearsal
  help: RemedyHelp[]
  /** Name of the mapping; undefined where the target stands by itself. */
  mapping?: string
  /** The first values of the delivery's columns. */
  samples?: Map<string, string>
}>()
const emit = defineEmits<{ change: [words: string, steps: Step[]]; feed: [header: string] }>()

const datatype = computed(() => datatypeOf(column))
const ofTable = computed(() => demands().filter((p) => fits(p, datatype.value)))
const ofSender = computed(() => habits().filter((p) => fits(p, datatype.value)))
const into = computed(() => habitIn(column))
const fit = computed(() => rehearsal?.columns.find((c) => c.column === column.name))
const feed = computed(() => feedOf(column))
/** The delivery's columns by which this one can be fed. */
const headers = computed(() => rehearsal?.header ?? [])
const fedBy = computed(() => (feed.value.kind === 'header' ? (fit.value?.header ?? '') : ''))
const notFed = '\u0000'

const shown = (p: Property, v: unknown): string =>
  v === undefined
    ? 'nothing'
    : (p.choices?.find((c) => c.value === v)?.label ??
      (Array.isArray(v) ? v.map((t) => (t === '' ? 'empty' : String(t))).join(', ') : v === true ? 'yes' : String(v)))

function demand(p: Property, v: unknown): void {
  const steps = [setting('target', column.name, p.name, v)]
  if (p.name === 'datatype') steps.splice(0, 1, ...datatypeSteps(column, v))
  if (p.name === 'scale' && v !== undefined && column.demands.precision === undefined)
    steps.unshift(setting('target', column.name, 'precision', 18))
  if (p.name === 'precision' && v === undefined && 'scale' in column.demands)
    steps.unshift(setting('target', column.name, 'scale', undefined))
  emit('change', `${column.name}: ${p.label.toLowerCase()} ${shown(p, v)}`, steps)
}

function setHabit(p: Property, v: unknown): void {
  const step = setting(into.value, column.name, p.name, v)
  // An empty list says that even empty cells are values, which is not the same as nothing said.
  if (Array.isArray(v) && p.name === 'null') Object.assign(step, { do: 'set', value: v })
  else if (v === undefined && into.value === 'mapping' && p.name in column.demands)
    Object.assign(step, { do: 'set', value: p.kind === 'choice' ? '' : undefined })
  emit('change', `${column.name}: ${p.label.toLowerCase()} ${shown(p, v)}`, [
    step.value === undefined && step.do === 'set' ? { ...step, do: 'drop' } : step,
  ])
}

/** Moves what the mapping says into the target, where it counts for all senders. */
function share(p: { name: string; label: string }): void {
  emit('change', `${column.name}: ${p.label.toLowerCase()} for all senders`, [
    { in: 'target', do: 'set', path: ['columns', column.name, p.name], value: column.habits?.[p.name] },
    { in: 'mapping', do: 'drop', path: ['columns', column.name, p.name] },
  ])
}

function feedFrom(header: string): void {
  if (header === notFed)
    emit('change', `${column.name}: no longer from ${fedBy.value || feed.value.text}`, unfed(column))
  else emit('feed', header)
}

function feedBy(property: 'value' | 'derive', text: string): void {
  const steps = unfed(column)
  if (into.value === 'target' && 'titles' in column.demands && text !== '')
    steps.push({ in: 'target', do: 'drop', path: ['columns', column.name, 'titles'] })
  if (text !== '') steps.push({ in: into.value, do: 'set', path: ['columns', column.name, property], value: text })
  emit('change', text === '' ? `${column.name}: no ${property}` : `${column.name} = ${text}`, steps)
}
</script>

<template>
  <div class="two">
    <div>
      <h3>What the table demands</h3>
      <div class="fields">
        <PropertyField
          v-for="p in ofTable"
          :key="`${column.name} ${p.name}`"
          :property="p"
          :value="p.name === 'datatype' ? datatype : column.demands[p.name]"
          @set="(v) => demand(p, v)"
        />
      </div>
    </div>
    <div>
      <h3>{{ mapping ? `How ${mapping} writes it` : 'How it is written' }}</h3>
      <div class="fields">
        <div class="field wide">
          <span class="soft" title="the delivery’s column that feeds it (from)">From</span>
          <ElSelect
            size="small"
            filterable
            :model-value="feed.kind === 'header' ? fedBy || notFed : notFed"
            aria-label="From"
            no-data-text="The header is not known yet"
            @change="feedFrom"
          >
            <ElOption :value="notFed" :label="feed.kind === 'header' ? 'nothing feeds it' : 'no column feeds it'" />
            <ElOption v-for="h in headers" :key="h" :value="h" :label="visible(h)">
              {{ visible(h) }} <span class="soft">{{ samples.get(h) }}</span>
            </ElOption>
          </ElSelect>
          <span v-if="fedBy && samples.get(fedBy)" class="soft such">such as {{ samples.get(fedBy) }}</span>
        </div>
        <div v-if="feed.kind !== 'header' || !fedBy" class="field">
          <span class="soft" title="the same value in every row (value)">Always</span>
          <ElInput
            size="small"
            :model-modifiers="{ lazy: true }"
            :model-value="feed.kind === 'value' ? feed.text : ''"
            placeholder="the same value"
            aria-label="Always"
            @change="(t: string) => feedBy('value', t)"
          />
        </div>
        <div v-if="feed.kind !== 'header' || !fedBy" class="field wide">
          <span class="soft" title="an expression over other columns, such as gross_kg - tare_kg (derive)"
            >Computed</span
          >
          <ElInput
            size="small"
            :model-modifiers="{ lazy: true }"
            :model-value="feed.kind === 'derive' ? feed.text : ''"
            placeholder="gross_kg - tare_kg"
            aria-label="Computed"
            @change="(t: string) => feedBy('derive', t)"
          />
        </div>
        <PropertyField
          v-for="p in ofSender"
          :key="p.label"
          :property="p"
          :value="p.name === 'null' ? (habit(column, 'null').value ?? ['']) : habit(column, p.name).value"
          :from="mapping ? habit(column, p.name).from : undefined"
          @set="(v) => setHabit(p, v)"
          @share="share(p)"
        />
        <div class="field all">
          <span class="soft" title="cleanings of the cells, in order (remedies)">Remedies</span>
          <button
            v-if="mapping && habit(column, 'remedies').from === 'mapping'"
            type="button"
            class="link whose"
            title="Move them into the target, where they count for all senders"
            @click="share({ name: 'remedies', label: 'Remedies' })"
          >
            this sender
          </button>
          <RemedyChain
            :column="column"
            :rehearsal="rehearsal"
            :help="help"
            @change="(w, s) => emit('change', w, s)"
          />
        </div>
      </div>
    </div>
  </div>
</template>

<style scoped>
.such {
  overflow: hidden;
  font-size: 12px;
  text-overflow: ellipsis;
  white-space: nowrap;
}

.two {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
}

.two > div {
  padding: 8px 12px;
  min-width: 0;
}

.two > div + div {
  border-left: 1px solid var(--line);
}

h3 {
  margin-bottom: 4px;
  font-size: 14px;
  overflow-wrap: anywhere;
}

.fields {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(112px, 1fr));
  gap: 5px 10px;
}

.field {
  min-width: 0;
  font-size: 12px;
  line-height: 1.3;
}

.wide {
  grid-column: span 2;
}

.all {
  grid-column: 1 / -1;
}

.whose {
  font-size: 11.5px;
}

@media (max-width: 760px) {
  .two {
    grid-template-columns: minmax(0, 1fr);
  }

  .two > div + div {
    border-left: 0;
    border-top: 1px solid var(--line);
  }
}
</style>
