<script setup lang="ts">
/** How a run differs from an earlier one: of the same delivery, or of another one by the same target. */
import { ElButton } from 'element-plus'
import { computed } from 'vue'
import { useRouter } from 'vue-router'
import { answered, api, type Comparison, type Run, type RunHead } from '../api/client'
import FailureNote from '../components/FailureNote.vue'
import { count, counted } from '../format'
import { useLoaded } from '../loaded'
import ComparedRows from '../result/ComparedRows.vue'
import type { KindName, SideName } from '../result/question'
import { meaning } from '../words'
import OtherRun from './OtherRun.vue'

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

const router = useRouter()
const { found, error, load } = useLoaded<Comparison | undefined>(
  () => [run.id, run.state, other],
  async () => {
    if (!other || run.state !== 'done') return undefined
    return answered(
      api.GET('/api/v1/runs/{id}/comparison', { params: { path: { id: run.id }, query: { with: other } } }),
    )
  },
  true,
)
/** Shows rows that differ at the Result station. */
function show(kind: KindName, side: SideName): void {
  void router.push({
    path: `/deliveries/${run.delivery}/result`,
    query: { run: run.id, with: other, kind, ...(side === 'accepted' ? {} : { side }) },
  })
}

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
</script>

<template>
  <section class="sheet comparison" aria-label="Compared with another run">
    <div class="head">
      <h2>Compare</h2>
      <OtherRun :run="run" :runs="runs" :other="other" @choose="(r) => emit('choose', r)">
        <span class="soft">There is no other run to compare with.</span>
      </OtherRun>
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
        <ComparedRows v-if="found.rows" :compared="found.rows" @choose="show" />
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
