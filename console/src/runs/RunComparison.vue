<script setup lang="ts">
/** How a run differs from an earlier one: of the same delivery, or of another one by the same target. */
import { ElButton, ElOption, ElSelect } from 'element-plus'
import { computed, ref, watch } from 'vue'
import { answered, api, type Comparison, type Run, type RunHead, type TextUse } from '../api/client'
import { count, counted, time } from '../format'
import { ask } from '../shelves/names'
import { meaning } from '../words'
import FailureNote from '../components/FailureNote.vue'

const {
  run,
  runs,
  other = undefined,
} = defineProps<{
  run: Run
  /** Of the delivery. */ runs: RunHead[]
  /** The run that it is compared with. */ other?: string
}>()
const emit = defineEmits<{ choose: [run: string | undefined] }>()

const found = ref<Comparison>()
const uses = ref<TextUse[]>([])
/** The run of the delivery of the same kind that arrived before. */
const before = ref<TextUse>()
const error = ref<unknown>()

watch(
  () => run.target?.name,
  async (name) => {
    uses.value = []
    if (!name) return
    try {
      uses.value = (await ask<{ items: TextUse[] }>(`targets/${encodeURIComponent(name)}/uses?limit=50`)).items
    } catch {
      uses.value = [] // the runs of the delivery can be chosen all the same
    }
  },
  { immediate: true },
)

watch(
  () => [run.id, run.state],
  async () => {
    before.value = undefined
    if (!run.target || run.state !== 'done') return
    const of = run.id
    try {
      const found = await answered(api.GET('/api/v1/runs/{id}/before', { params: { path: { id: of } } }))
      if (run.id === of) before.value = found
    } catch {
      before.value = undefined // it is the first of its kind
    }
  },
  { immediate: true },
)

const choices = computed(() => [
  ...runs
    .filter((r) => r.id !== run.id && r.state === 'done')
    .map((r) => ({
      id: r.id,
      label: `this delivery, ${time(r.createdAt)}${r.target ? `, ${r.target.name} ${r.target.version}` : ''}`,
    })),
  ...uses.value
    .filter((u) => u.delivery !== run.delivery && u.state === 'done')
    .map((u) => ({ id: u.run, label: `${u.name}, ${time(u.at)}` })),
])

async function load(): Promise<void> {
  error.value = undefined
  found.value = undefined
  if (!other || run.state !== 'done') return
  try {
    found.value = await answered(
      api.GET('/api/v1/runs/{id}/comparison', { params: { path: { id: run.id }, query: { with: other } } }),
    )
  } catch (e) {
    error.value = e
  }
}
watch(
  () => [run.id, run.state, other],
  () => void load(),
  { immediate: true },
)

const rules = computed(() => [
  ...(found.value?.target ?? []).map((d) => ({ where: d.column || 'target', words: d.words })),
  ...(found.value?.mapping ?? []).map((d) => ({ where: d.column || 'mapping', words: d.words })),
])
const change = (n: number): string => (n > 0 ? `+${count(n)}` : `−${count(-n)}`)
const tallies = computed(() =>
  (['read', 'accepted', 'rejected', 'excluded'] as const).map((what) => ({
    what,
    before: found.value?.before.tally?.[what] ?? 0,
    after: found.value?.after.tally?.[what] ?? 0,
  })),
)
const keyed = computed(() => {
  const r = found.value?.rows
  return r
    ? [
        { what: 'new', rows: r.new, keys: r.newKeys },
        { what: 'gone', rows: r.gone, keys: r.goneKeys },
        { what: 'changed', rows: r.changed, keys: r.changedKeys },
      ]
    : []
})
</script>

<template>
  <section class="sheet comparison" aria-label="Compared with another run">
    <div class="head">
      <h2>Compare</h2>
      <ElSelect
        size="small"
        class="other"
        filterable
        clearable
        :model-value="other"
        placeholder="with another run …"
        no-data-text="There is no other run to compare with"
        aria-label="Compare with"
        @change="(id: string | undefined) => emit('choose', id || undefined)"
      >
        <ElOption v-for="c in choices" :key="c.id" :value="c.id" :label="c.label" />
      </ElSelect>
      <button v-if="before && other !== before.run" type="button" class="link" @click="emit('choose', before.run)">
        with the delivery before: {{ before.name }}, {{ time(before.at) }}
      </button>
      <ElButton v-if="other" size="small" @click="emit('choose', undefined)">Close</ElButton>
    </div>
    <FailureNote v-if="error" :error="error" :retry="load" />
    <div v-if="found" class="parts">
      <div>
        <h3>Rows</h3>
        <table>
          <tbody>
            <tr v-for="t in tallies" :key="t.what">
              <td>{{ t.what }}</td>
              <td class="number">{{ count(t.before) }}</td>
              <td class="number">{{ count(t.after) }}</td>
              <td class="number">{{ t.after === t.before ? '' : change(t.after - t.before) }}</td>
            </tr>
          </tbody>
        </table>
        <template v-if="found.sides">
          <p>
            {{ count(found.sides.gained) }} accepted now, {{ count(found.sides.lost) }} no longer;
            {{ count(found.sides.excluded) }} left out now, {{ count(found.sides.readmitted) }} no longer.
          </p>
          <p v-for="r in found.sides.rows.slice(0, 12)" :key="r.row">
            row {{ count(r.row) }} <span class="soft">was {{ r.was }} and is {{ r.is }}</span>
          </p>
        </template>
        <template v-else-if="found.rows">
          <p>
            By {{ found.rows.key.join(', ') }}: {{ count(found.rows.new) }} new, {{ count(found.rows.gone) }} gone,
            {{ count(found.rows.changed) }} changed, {{ count(found.rows.same) }} the same.
          </p>
          <p v-for="k in keyed.filter((k) => k.rows > 0)" :key="k.what">
            <span class="soft">{{ k.what }}:</span>
            {{
              k.keys
                .slice(0, 8)
                .map((v) => v.join(' / '))
                .join(', ')
            }}{{ k.rows > 8 ? ' …' : '' }}
          </p>
        </template>
        <p v-if="found.notSaid" class="soft">Rows were not compared: {{ found.notSaid }}.</p>
        <p v-if="found.newHeaders.length > 0">Delivered now: {{ found.newHeaders.join(', ') }}</p>
        <p v-if="found.goneHeaders.length > 0">No longer delivered: {{ found.goneHeaders.join(', ') }}</p>
      </div>
      <div>
        <h3>Violations and remedies</h3>
        <p v-if="found.violations.length + found.remedies.length === 0" class="soft">As many of each.</p>
        <table v-else>
          <tbody>
            <tr v-for="v in found.violations" :key="`v${v.column}${v.what}`">
              <td>
                <b>{{ v.column || 'rows' }}</b> {{ meaning(v.what) }}
              </td>
              <td class="number">{{ count(v.before) }}</td>
              <td class="number">{{ count(v.after) }}</td>
              <td class="number">{{ change(v.after - v.before) }}</td>
            </tr>
            <tr v-for="v in found.remedies" :key="`r${v.column}${v.what}`">
              <td>
                <b>{{ v.column }}</b> {{ v.what }} <span class="soft">cells</span>
              </td>
              <td class="number">{{ count(v.before) }}</td>
              <td class="number">{{ count(v.after) }}</td>
              <td class="number">{{ change(v.after - v.before) }}</td>
            </tr>
          </tbody>
        </table>
      </div>
      <div>
        <h3>Rules</h3>
        <p v-if="rules.length === 0" class="soft">The same.</p>
        <p v-for="r in rules" :key="r.where + r.words">
          <b>{{ r.where }}</b> {{ r.words }}
        </p>
        <p v-if="rules.length > 0" class="soft">{{ counted(rules.length, 'difference', 'differences') }}</p>
      </div>
    </div>
  </section>
</template>

<style scoped>
.comparison {
  padding: 10px 14px;
  margin-bottom: 14px;
}

.head {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 6px 12px;
}

.other {
  width: 420px;
  max-width: 100%;
}

.parts {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(260px, 1fr));
  gap: 10px 24px;
  margin-top: 8px;
  font-size: 13px;
}

h3 {
  font-size: 14px;
}

p {
  margin: 3px 0;
  overflow-wrap: anywhere;
}

table {
  border-collapse: collapse;
}

td {
  padding: 1px 14px 1px 0;
}

td.number {
  text-align: right;
}
</style>
