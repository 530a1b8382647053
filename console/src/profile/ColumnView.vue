<script setup lang="ts">
/** All that is known of one column. */
import { computed } from 'vue'
import type { ColumnProfile, Filter, Finding, HistogramBin, Suggestion } from '../api/client'
import { count, counted, share, visible } from '../format'
import CureButton from '../rules/CureButton.vue'
import { datatype, plain, range, six } from './columns'
import type { Mending } from './cures'
import FindingList from './FindingList.vue'
import HistogramChart from './HistogramChart.vue'
import ValueList from './ValueList.vue'

const {
  column,
  findings,
  mending = undefined,
} = defineProps<{ column: ColumnProfile; findings: Finding[]; mending?: Mending }>()
const emit = defineEmits<{
  filter: [filters: Filter[]]
  rows: [finding: Finding]
  mend: []
  cure: [suggestion: Suggestion]
}>()

const others = computed(() => mending?.others(column.name) ?? [])
const all = computed(() => column.filled + column.empty)
const isUnique = computed(() => column.once !== undefined && column.once === column.distinct)
const facts = computed(() => {
  const c = column
  const list: [string, string][] = [
    ['datatype', datatype(c)],
    ['filled', `${count(c.filled)} of ${count(all.value)}, ${share(c.filled, all.value)}`],
  ]
  if (c.blank > 0) list.push(['only blanks', counted(c.blank, 'cell', 'cells')])
  list.push([
    'distinct',
    c.distinctExact
      ? `${count(c.distinct)}, ${count(c.once ?? 0)} of them once`
      : `≈ ${count(c.distinct)} ± ${(100 * (c.distinctError ?? 0)).toFixed(1)} %`,
  ])
  if (c.filled === 0) return list
  list.push(
    ['length', `${count(c.minLength)} to ${count(c.maxLength)}, ${c.meanLength.toFixed(1)} on average`],
    ['range', range(c)],
  )
  if (c.code) list.push(['kind', c.counter ? 'only counts the rows' : 'numbers that name something: no mean, no sum'])
  if (c.deviation !== undefined)
    list.push(['mean', `${six(c.mean)}, deviation ${six(c.deviation)}${c.dates ? ' days' : ''}`])
  if ((c.quartiles?.length ?? 0) > 0)
    list.push([
      'quartiles',
      (c.quartiles ?? []).map(six).join(', ') + (c.quartileError ? ` ± ${(100 * c.quartileError).toFixed(1)} %` : ''),
    ])
  if (c.sum !== undefined) list.push(['sum', plain(c.sum)])
  if (c.numbers && c.numbers.groupChar) list.push(['thousands by', c.numbers.groupChar])
  if (c.dates) {
    list.push(['formats', c.dates.formats.map((f) => `${f.format} (${count(f.count)})`).join(', ')])
    if (c.dates.order) list.push(['order', `${c.dates.order}, decided by ${c.dates.decidedBy}`])
    list.push([
      'weekdays',
      ['Mo', 'Tu', 'We', 'Th', 'Fr', 'Sa', 'Su']
        .map((d, i) => `${d}\u00a0${count(c.dates?.weekdays?.[i] ?? 0)}`)
        .join('  '),
    ])
  }
  return list
})
const one = (op: Filter['op'], value?: string): Filter[] => [{ column: column.name, op, value }]

function bar(b: HistogramBin): void {
  const bins = column.histogram ?? []
  const isLast = b === bins[bins.length - 1]
  emit('filter', [
    { column: column.name, op: 'atLeast', value: plain(b.from) },
    { column: column.name, op: isLast ? 'atMost' : 'less', value: plain(b.to) },
  ])
}

const values = (
  list: ColumnProfile['top'] | undefined,
  most: number,
): { text: string; count: number; note: string }[] =>
  (list ?? [])
    .slice(0, most)
    .map((v) => ({ text: v.value, count: v.count, note: v.row ? `row ${count(v.row)}` : '' }))
const variants = computed(() => (column.variants ?? []).flatMap((g) => g ?? []))
</script>

<template>
  <div class="head">
    <h2>{{ visible(column.name) }}</h2>
    <button v-if="column.empty > 0" type="button" class="link" @click="emit('filter', one('empty'))">
      {{ counted(column.empty, 'empty cell', 'empty cells') }}
    </button>
    <RouterLink v-if="mending?.ruleOf(column.name)" :to="mending.ruleOf(column.name)!">its rule →</RouterLink>
  </div>
  <FindingList
    :findings="findings"
    :column="column.name"
    :mending="mending"
    @rows="(f) => emit('rows', f)"
    @mend="emit('mend')"
    @cure="(s) => emit('cure', s)"
  />
  <p v-if="others.length > 0" class="others">
    <span class="soft">also suggested</span>
    <CureButton v-for="s in others" :key="s.id" :suggestion="s" @take="(as) => emit('cure', as)" />
  </p>
  <div class="grid">
    <div>
      <dl>
        <template v-for="[k, v] in facts" :key="k"
          ><dt>{{ k }}</dt>
          <dd>{{ visible(v) }}</dd></template
        >
      </dl>
      <ValueList
        title="Not of the datatype"
        :entries="values(column.against ?? undefined, 8)"
        @choose="(i) => emit('filter', one('equals', column.against?.[i]?.value))"
      />
      <button
        v-if="(column.against?.length ?? 0) > 0"
        type="button"
        class="link"
        @click="emit('filter', one('against'))"
      >
        all rows with such a value
      </button>
      <ValueList
        v-if="column.kinds.length > 1"
        title="What the values look like"
        wrap
        :entries="column.kinds.map((k) => ({ text: k.form, count: k.count }))"
        :whole="column.filled"
        @choose="(i) => emit('filter', one('form', column.kinds[i]?.form))"
      />
      <ValueList
        title="Shapes (A capital, a letter, 9 digit)"
        :entries="column.shapes.slice(0, 8).map((s) => ({ text: s.shape, count: s.count }))"
        :whole="column.filled"
        @choose="(i) => emit('filter', one('shape', column.shapes[i]?.shape))"
      />
    </div>
    <div>
      <HistogramChart
        v-if="(column.histogram?.length ?? 0) > 1"
        :bins="column.histogram ?? []"
        :name="column.name"
        @choose="bar"
      />
      <ValueList
        v-if="isUnique"
        title="The first values; each occurs once"
        :entries="values(column.top, 6).map((v) => ({ ...v, count: 0 }))"
        @choose="(i) => emit('filter', one('equals', column.top[i]?.value))"
      />
      <ValueList
        v-else
        title="Most frequent"
        :entries="values(column.top, 15)"
        :whole="column.filled"
        @choose="(i) => emit('filter', one('equals', column.top[i]?.value))"
      />
      <ValueList
        v-if="!isUnique"
        title="Least frequent"
        :entries="values(column.rare ?? undefined, 6)"
        @choose="(i) => emit('filter', one('equals', column.rare?.[i]?.value))"
      />
      <ValueList
        title="Perhaps missing"
        :entries="values(column.placeholders ?? undefined, 8)"
        @choose="(i) => emit('filter', one('equals', column.placeholders?.[i]?.value))"
      />
      <ValueList
        title="The same, written in different ways"
        :entries="values(variants, 12)"
        @choose="(i) => emit('filter', one('equals', variants[i]?.value))"
      />
    </div>
  </div>
</template>

<style scoped>
.others {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 4px 8px;
}

.head {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 14px;
}

h2 {
  overflow-wrap: anywhere;
}

.grid {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  gap: 0 28px;
}

dl {
  display: grid;
  grid-template-columns: 90px minmax(0, 1fr);
  margin: 10px 0 0;
  font-size: 13px;
}

dt {
  color: var(--soft);
}

dd {
  margin: 0;
  overflow-wrap: anywhere;
  white-space: pre-wrap;
}

@media (max-width: 760px) {
  .grid {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
