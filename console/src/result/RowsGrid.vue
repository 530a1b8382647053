<script setup lang="ts">
/** Rows of an outcome as a grid: typed, sorted by the head that is chosen, each with its number in the delivery. */
import { computed } from 'vue'
import type { RowsFound } from '../api/client'
import { count, visible } from '../format'
import { kindOf } from '../rules/model'

const {
  found,
  delivery,
  sort = undefined,
  counted = undefined,
} = defineProps<{
  found: RowsFound
  delivery: string
  sort?: { column: string; descending: boolean }
  /** The column whose values are counted. */
  counted?: string
}>()
const emit = defineEmits<{ turn: [column: string]; count: [column: string] }>()

const isNumber = (datatype = ''): boolean => kindOf(datatype) === 'number'
/** Of rows that were not accepted the number is a column by itself. */
const isNumbered = computed(() => found.side === 'accepted')
const order = (name: string): 'ascending' | 'descending' | 'none' =>
  sort?.column !== name ? 'none' : sort.descending ? 'descending' : 'ascending'
const marks = { ascending: '▴', descending: '▾', none: '' }
</script>

<template>
  <div class="scroll" role="region" :aria-label="`${found.side} rows`" tabindex="0">
    <table>
      <thead>
        <tr>
          <th v-if="isNumbered" scope="col" class="number">row</th>
          <th
            v-for="c in found.columns"
            :key="c.name"
            scope="col"
            :class="{ number: isNumber(c.datatype), counted: c.name === counted }"
            :aria-sort="order(c.name)"
          >
            <!-- Its name stays while its mark changes, so that it can be clicked again at once. -->
            <button
              type="button"
              class="head"
              :aria-label="c.name"
              :title="`Sort by ${c.name}`"
              @click="emit('turn', c.name)"
            >
              {{ visible(c.name) }} <span aria-hidden="true">{{ marks[order(c.name)] }}</span>
            </button>
            <button
              type="button"
              class="values"
              :aria-label="`Count the values of ${c.name}`"
              title="How often each value occurs"
              @click="emit('count', c.name)"
            >
              #
            </button>
          </th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="r in found.items" :key="r.at">
          <td v-if="isNumbered" class="number soft">
            <RouterLink
              :to="`/deliveries/${delivery}/reading?row=${r.row}`"
              :title="`See row ${r.row} in the delivery`"
              >{{ count(r.row) }}</RouterLink
            >
          </td>
          <td
            v-for="(cell, i) in r.cells"
            :key="i"
            :class="{ number: isNumber(found.columns[i]?.datatype) }"
            :title="cell && cell.length > 40 ? cell : undefined"
          >
            <span v-if="cell === null" class="blank">none</span>
            <span v-else-if="cell === ''" class="blank">empty text</span>
            <template v-else>{{ visible(cell.slice(0, 300)) }}</template>
          </td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.scroll {
  overflow: auto;
  max-height: calc(100vh - 260px);
  min-height: 220px;
}

table {
  border-collapse: separate;
  border-spacing: 0;
  font-size: 13px;
  min-width: 100%;
}

th {
  position: sticky;
  top: 0;
  z-index: 1;
  background: var(--husk-wash);
  text-align: left;
  white-space: nowrap;
}

th,
td {
  padding: 4px 10px;
}

td {
  border-top: 1px solid var(--line);
  white-space: nowrap;
  max-width: 280px;
  overflow: hidden;
  text-overflow: ellipsis;
}

.number {
  text-align: right;
  font-variant-numeric: tabular-nums;
}

.counted {
  box-shadow: inset 0 -3px 0 var(--grain);
}

.head,
.values {
  padding: 0;
  border: 0;
  background: none;
  color: inherit;
  font: inherit;
  font-weight: 600;
  cursor: pointer;
}

.values {
  margin-left: 4px;
  color: var(--soft);
  font-weight: 400;
}

.head:hover,
.values:hover {
  text-decoration: underline;
}

.blank {
  color: var(--soft);
  font-style: italic;
}
</style>
