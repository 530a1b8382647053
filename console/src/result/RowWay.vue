<script setup lang="ts">
/** How a row came about: each cell as delivered, what was done to it, and as the table will have it. */
import { ElButton, ElSkeleton } from 'element-plus'
import { computed, onBeforeUnmount, onMounted, ref, useTemplateRef } from 'vue'
import { answered, api, type Explanation } from '../api/client'
import { useLoaded } from '../loaded'
import FailureNote from '../components/FailureNote.vue'
import { count, counted, visible } from '../format'

const { run, row, delivery, rows } = defineProps<{
  run: string
  row: number
  delivery: string
  /** The rows that are shown beside it, in their order. */
  rows: number[]
}>()
const emit = defineEmits<{ open: [row: number | undefined] }>()

const {
  found: e,
  error,
  load,
} = useLoaded<Explanation>(
  () => [run, row],
  () => answered(api.GET('/api/v1/runs/{id}/rows/{row}', { params: { path: { id: run, row } } })),
  true,
)
const isAll = ref(false)

// Wherever the focus is: a button that was clicked last may be disabled by then.
const escape = (k: KeyboardEvent): void => {
  if (k.key === 'Escape' && !k.defaultPrevented) emit('open', undefined)
}
const panel = useTemplateRef<HTMLElement>('panel')
onMounted(() => {
  document.addEventListener('keydown', escape)
  panel.value?.scrollIntoView({ block: 'nearest' })
})
onBeforeUnmount(() => document.removeEventListener('keydown', escape))

type Column = Explanation['columns'][number]
/** Something was done to the cell, or is said of it. */
const isTold = (c: Column): boolean =>
  (c.steps ?? []).some((s) => s.changed) ||
  (c.violations ?? []).length > 0 ||
  c.value === null ||
  (c.delivered ?? null) !== c.value
const listed = computed(() => {
  const all = e.value?.columns ?? []
  return isAll.value ? all.slice(0, 500) : all.filter(isTold).slice(0, 500)
})
/** What was done, in a few words. */
function done(c: Column): string {
  const steps = (c.steps ?? []).filter((s) => s.changed).map((s) => s.remedy)
  if (steps.length > 0) return steps.join(', ')
  if (c.from) return c.delivered === undefined ? c.from : `computed: ${c.from}`
  if (c.value !== null && c.delivered !== c.value) return `read as ${c.datatype}`
  return ''
}
const beside = (by: number): number | undefined => rows[rows.indexOf(row) + by]
const isBeside = computed(() => rows.includes(row))
const broken = computed(() => [
  ...(e.value?.violations ?? []).map((v) => v.message),
  ...(e.value?.rules ?? []).filter((r) => r.answer !== 'holds').map((r) => `${r.name}: ${r.answer}`),
])
</script>

<template>
  <section ref="panel" class="sheet way" :aria-label="`Row ${row}`">
    <div class="head">
      <h2>Row {{ count(row) }}</h2>
      <span v-if="e" class="soft"
        ><RouterLink :to="`/deliveries/${delivery}/reading?row=${row}`"
          >line {{ count(e.line) }} of the file</RouterLink
        >, {{ e.fate }}<template v-if="e.reason">: {{ e.reason }}</template></span
      >
      <span v-if="isBeside" class="steps">
        <ElButton size="small" :disabled="beside(-1) === undefined" @click="emit('open', beside(-1))"
          >Previous</ElButton
        >
        <ElButton size="small" :disabled="beside(1) === undefined" @click="emit('open', beside(1))">Next</ElButton>
      </span>
      <button type="button" class="link" @click="emit('open', undefined)">close</button>
    </div>
    <FailureNote v-if="error" :error="error" :retry="load" />
    <ElSkeleton v-else-if="!e" :rows="4" animated />
    <template v-else>
      <ul v-if="broken.length > 0" class="broken">
        <li v-for="b in broken" :key="b">{{ visible(b) }}</li>
      </ul>
      <div class="scroll" tabindex="0" role="region" aria-label="Cells of the row">
        <table class="dense tight">
          <thead>
            <tr>
              <th>column</th>
              <th>as delivered</th>
              <th>what was done</th>
              <th>as the table will have it</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="c in listed" :key="c.column">
              <th scope="row">{{ visible(c.column) }}</th>
              <td>
                <span v-if="c.header && c.header !== c.column" class="soft">{{ visible(c.header) }}: </span>
                <template v-if="c.delivered !== undefined && c.header"
                  >“{{ visible(c.delivered.slice(0, 500)) }}”</template
                >
              </td>
              <td>{{ visible(done(c)) }}</td>
              <td :class="{ made: (c.steps ?? []).some((s) => s.changed) }">
                <span v-if="c.value === null" class="soft">none</span>
                <template v-else>{{ visible(c.value.slice(0, 500)) }}</template>
                <span v-for="v in c.violations ?? []" :key="v.message" class="bad">
                  {{ v.action }}: {{ visible(v.message) }}</span
                >
              </td>
            </tr>
          </tbody>
        </table>
      </div>
      <p v-if="listed.length === 0" class="soft">All its cells stand as they were delivered.</p>
      <button v-if="!isAll && listed.length < e.columns.length" type="button" class="link" @click="isAll = true">
        all {{ counted(e.columns.length, 'column', 'columns') }}
      </button>
    </template>
  </section>
</template>

<style scoped>
.way {
  padding: 8px 12px 12px;
  border-top: 3px solid var(--grain);
}

.head {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 4px 14px;
  margin-bottom: 6px;
}

.head > .link {
  margin-left: auto;
}

.steps {
  display: inline-flex;
  gap: 6px;
}

.steps .el-button {
  margin: 0;
}

.scroll {
  overflow: auto;
  max-height: 44vh;
}

th {
  text-align: left;
}

tbody th {
  font-weight: 400;
}

td {
  overflow-wrap: anywhere;
  white-space: pre-wrap;
}

.made {
  background: var(--leaf-wash);
  border-bottom: 2px solid var(--leaf);
}

.bad,
.broken {
  color: var(--rust);
}

.bad {
  display: block;
}

.broken {
  margin: 0 0 6px;
  padding-left: 18px;
}
</style>
