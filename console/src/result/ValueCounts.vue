<script setup lang="ts">
/** How often each value of a column occurs in the rows that pass. */
import { ElSkeleton } from 'element-plus'
import { ref, watch } from 'vue'
import { answered, api, type ValuesFound } from '../api/client'
import FailureNote from '../components/FailureNote.vue'
import { count, counted, share, visible } from '../format'
import type { SideName } from './question'

const { run, side, column, where } = defineProps<{
  run: string
  side: SideName
  column: string
  /** Conditions, as the service reads them. */
  where: string[]
}>()
const emit = defineEmits<{ only: [value: string | null]; close: [] }>()

/** So many values are shown. */
const most = 50
const found = ref<ValuesFound>()
const error = ref<unknown>()
let latest = 0

async function load(): Promise<void> {
  const mine = ++latest
  error.value = undefined
  try {
    const query = { side, column, where, limit: most }
    const values = await answered(api.GET('/api/v1/runs/{id}/values', { params: { path: { id: run }, query } }))
    if (mine === latest) found.value = values
  } catch (e) {
    if (mine === latest) error.value = e
  }
}
watch(
  () => JSON.stringify([run, side, column, where]),
  () => {
    found.value = undefined
    void load()
  },
  { immediate: true },
)
</script>

<template>
  <section class="sheet values" :aria-label="`Values of ${column}`">
    <div class="head">
      <h2>{{ visible(column) }}</h2>
      <button type="button" class="link" @click="emit('close')">close</button>
    </div>
    <FailureNote v-if="error" :error="error" :retry="load" />
    <ElSkeleton v-else-if="!found" :rows="4" animated />
    <template v-else>
      <p class="soft">
        {{ counted(found.total, 'different value', 'different values') }} in {{ counted(found.rows, 'row', 'rows')
        }}<template v-if="found.total > most">; the {{ most }} most frequent</template>
      </p>
      <table>
        <tbody>
          <tr v-for="(v, i) in found.items" :key="i">
            <td class="value">
              <span v-if="v.value === null" class="soft">none</span>
              <template v-else>{{ v.value === '' ? '“”' : visible(v.value.slice(0, 120)) }}</template>
            </td>
            <td class="number">{{ count(v.count) }}</td>
            <td class="number soft">{{ share(v.count, found.rows) }}</td>
            <td>
              <button
                type="button"
                class="link"
                :aria-label="`Only rows with ${v.value ?? 'no value'}`"
                @click="emit('only', v.value)"
              >
                only
              </button>
            </td>
          </tr>
        </tbody>
      </table>
    </template>
  </section>
</template>

<style scoped>
.values {
  padding: 8px 12px 12px;
  align-self: start;
  max-height: calc(100vh - 40px);
  overflow: auto;
}

.head {
  display: flex;
  align-items: baseline;
  justify-content: space-between;
  gap: 12px;
}

p {
  margin: 2px 0 6px;
}

table {
  width: 100%;
  border-collapse: collapse;
  font-size: 13px;
}

td {
  padding: 3px 6px 3px 0;
  border-top: 1px solid var(--line);
  vertical-align: baseline;
}

.value {
  overflow-wrap: anywhere;
}

.number {
  text-align: right;
  font-variant-numeric: tabular-nums;
  white-space: nowrap;
}
</style>
