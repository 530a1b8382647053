<script setup lang="ts">
/** The columns of a target or a mapping as a dense table. */
import { ElInput } from 'element-plus'
import { computed, ref } from 'vue'
import { counted } from '../format'
import { datatypeWord } from '../rules/fields'
import { givenWords, listOf, objectOf, type Properties, remedyOf, textsOf } from '../rules/model'

const {
  library,
  view,
  words = {},
} = defineProps<{
  library: 'targets' | 'mappings'
  view: Properties
  /** What a target demands of its columns beside their datatypes, in the service's words. */
  words?: Record<string, string[]>
}>()
const word = ref('')
const columns = computed(() => {
  const w = word.value.trim().toLowerCase()
  const all =
    library === 'targets'
      ? listOf(view.columns).map(objectOf)
      : Object.entries(objectOf(view.columns)).map(([n, c]): Properties => ({ ...objectOf(c), name: n }))
  return all.filter((c) =>
    `${String(c.name)} ${textsOf(c.titles).join(' ')} ${textsOf(c.from).join(' ')} ${String(c.description ?? '')}`
      .toLowerCase()
      .includes(w),
  )
})
const plain = (v: unknown): string =>
  v === undefined
    ? ''
    : typeof v === 'object' && v !== null && !Array.isArray(v)
      ? Object.entries(v)
          .map(([k, x]) => `${k} ${plain(x)}`)
          .join(', ')
      : listOf(v)
          .map((t) => (t === '' ? 'empty' : typeof t === 'object' ? plain(t) : String(t)))
          .join(', ')
const remedies = (c: Properties): string =>
  listOf(c.remedies)
    .map((r) => `${remedyOf(r).name} ${givenWords(remedyOf(r).given)}`.trim())
    .join('; ')

/** What is told of a column; what no column has is left out. */
const told: Record<'targets' | 'mappings', { title: string; of: (c: Properties) => string; wide?: boolean }[]> = {
  targets: [
    { title: 'datatype', of: (c) => datatypeWord(String(c.datatype ?? 'string')) },
    { title: 'demands', of: (c) => (words[String(c.name)] ?? []).join('; '), wide: true },
    { title: 'format', of: (c) => plain(c.format), wide: true },
    {
      title: 'always',
      of: (c) =>
        c.derive !== undefined ? `= ${String(c.derive)}` : c.value !== undefined ? `“${String(c.value)}”` : '',
    },
    { title: 'missing', of: (c) => plain(c.null) },
    { title: 'else', of: (c) => plain(c.default) },
    { title: 'decimal sign', of: (c) => plain(c.decimalChar) },
    { title: 'remedies', of: remedies, wide: true },
    { title: 'when broken', of: (c) => plain(c.onViolation) },
    { title: 'titles', of: (c) => plain(c.titles), wide: true },
    { title: 'meaning', of: (c) => plain(c.description), wide: true },
  ],
  mappings: [
    {
      title: 'from',
      of: (c) =>
        c.value !== undefined
          ? `“${String(c.value)}” in every row`
          : c.derive !== undefined
            ? `= ${String(c.derive)}`
            : c.position !== undefined
              ? `column ${String(c.position)}`
              : plain(c.from),
    },
    { title: 'written as', of: (c) => plain(c.format) },
    { title: 'decimal sign', of: (c) => plain(c.decimalChar) },
    { title: 'thousands by', of: (c) => plain(c.groupChar) },
    { title: 'missing', of: (c) => plain(c.null) },
    { title: 'else', of: (c) => plain(c.default) },
    { title: 'remedies', of: remedies, wide: true },
  ],
}
const shown = computed(() => told[library].filter((t) => columns.value.some((c) => t.of(c) !== '')))

/** What concerns rows and the delivery. */
const others = computed(() =>
  Object.entries(view)
    .filter(([name]) => !['target', 'mapping', 'title', 'columns'].includes(name))
    .map(([name, v]) => ({
      name,
      lines: Array.isArray(v) && v.some((e) => typeof e === 'object') ? v.map(plain) : [plain(v)],
    })),
)
</script>

<template>
  <div class="bar">
    <ElInput
      v-model="word"
      size="small"
      clearable
      placeholder="Find a column"
      aria-label="Find a column"
      class="find"
    />
    <span class="soft">{{ counted(columns.length, 'column', 'columns') }}</span>
  </div>
  <div class="scroll" tabindex="0" role="region" aria-label="Columns">
    <table class="dense">
      <thead>
        <tr>
          <th>column</th>
          <th v-for="t in shown" :key="t.title">{{ t.title }}</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="c in columns" :key="String(c.name)">
          <td>
            <b>{{ c.name }}</b>
          </td>
          <td v-for="t in shown" :key="t.title" :class="{ wide: t.wide }">{{ t.of(c) }}</td>
        </tr>
      </tbody>
    </table>
  </div>
  <dl v-if="others.length > 0">
    <template v-for="o in others" :key="o.name"
      ><dt>{{ o.name }}</dt>
      <dd>
        <div v-for="l in o.lines" :key="l">{{ l }}</div>
      </dd></template
    >
  </dl>
</template>

<style scoped>
.bar {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px 12px;
  padding: 8px 12px;
}

.find {
  width: 240px;
}

.scroll {
  overflow-x: auto;
}

td:not(.wide) {
  white-space: nowrap;
}

.wide {
  min-width: 140px;
  overflow-wrap: anywhere;
}

dl {
  display: grid;
  grid-template-columns: minmax(90px, 140px) minmax(0, 1fr);
  gap: 3px 14px;
  margin: 0;
  padding: 10px 12px;
  border-top: 1px solid var(--line);
  font-size: 13px;
}

dt {
  font-weight: 600;
}

dd {
  margin: 0;
  overflow-wrap: anywhere;
}
</style>
