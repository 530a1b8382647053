<script setup lang="ts">
/** How often each value of a column occurs in the rows that pass. */
import { ElSkeleton } from 'element-plus'
import { computed } from 'vue'
import { answered, api, type ValuesFound } from '../api/client'
import { useLoaded } from '../loaded'
import FailureNote from '../components/FailureNote.vue'
import { count, counted, share, visible } from '../format'
import type { FoundCures } from '../rules/found'
import ValueCures from '../rules/ValueCures.vue'
import { isTyped, type Asked, type Condition } from './question'

const { run, asked, column, conditions, cures } = defineProps<{
  run: string
  /** Which rows. */
  asked: Asked
  column: string
  /** The conditions that they pass, as they are said. */
  conditions: Condition[]
  cures: FoundCures
}>()
const emit = defineEmits<{ only: [c: Condition]; close: [] }>()

const isOf = (value: string | null): Condition =>
  value === null ? { column, op: 'empty', value: '' } : { column, op: 'equals', value }
/**
 * Accepted rows have values of the target; the others are as they were delivered. What deals with rows that are
 * compared deals with others, too.
 */
const isMended = computed(() => isTyped(asked.side) && !asked.kind)

/** So many values are shown. */
const most = 50
const { found, error, load } = useLoaded<ValuesFound>(
  () => [run, asked, column],
  () => {
    const query = { ...asked, column, limit: most }
    return answered(api.GET('/api/v1/runs/{id}/values', { params: { path: { id: run }, query } }))
  },
  true,
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
              <span class="does">
                <button
                  type="button"
                  class="link"
                  :aria-label="`Only rows with ${v.value ?? 'no value'}`"
                  @click="emit('only', isOf(v.value))"
                >
                  only
                </button>
                <template v-if="isMended">
                  <button
                    v-if="cures.isExpressed([...conditions, isOf(v.value)])"
                    type="button"
                    class="link"
                    :aria-label="`Leave out rows with ${v.value ?? 'no value'}`"
                    @click="cures.leave([...conditions, isOf(v.value)])"
                  >
                    leave out
                  </button>
                  <ValueCures
                    v-if="v.value && cures.isText(column)"
                    :value="v.value"
                    @missing="v.value && cures.missing(column, v.value)"
                    @recode="(to) => v.value && cures.recode(column, v.value, to)"
                  />
                </template>
              </span>
            </td>
            <td class="number">{{ count(v.count) }}</td>
            <td class="number soft">{{ share(v.count, found.rows) }}</td>
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

.does {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 8px;
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
