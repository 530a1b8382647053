<script setup lang="ts">
/** The remedies of a run with how many cells each changed; of the chosen one how it did. */
import { nextTick, useTemplateRef, watch } from 'vue'
import type { Remedy } from '../api/client'
import { count, counted, visible } from '../format'

const { remedies, chosen = undefined } = defineProps<{ remedies: Remedy[]; chosen?: number }>()
const emit = defineEmits<{ choose: [place: number | undefined] }>()

const items = useTemplateRef<HTMLElement[]>('items')

// An address that names a remedy leads to it, wherever on the page it stands.
watch(
  () => chosen,
  async (_, before) => {
    await nextTick()
    const block = before === undefined ? 'center' : 'nearest'
    items.value?.find((item) => item.classList.contains('chosen'))?.scrollIntoView({ block })
  },
  { immediate: true },
)

function rest(r: Remedy): string {
  if (r.sampleRows) {
    return (
      `A sample: the first ${counted(r.sampleRows, 'row', 'rows')} were looked at, with ${counted(r.ways ?? 0, 'different change', 'different changes')}. ` +
      `${counted(r.others ?? 0, 'cell was', 'cells were')} changed in other ways than these.`
    )
  }
  if (!r.others) return ''
  return `${counted(r.others, 'cell was', 'cells were')} changed in ${counted((r.ways ?? 0) - (r.pairs?.length ?? 0), 'less frequent way', 'less frequent ways')}.`
}
</script>

<template>
  <ul>
    <template v-for="(r, place) in remedies" :key="place">
      <li v-if="r.changed > 0" ref="items" :class="{ chosen: place === chosen }">
        <button
          type="button"
          :aria-expanded="place === chosen"
          @click="emit('choose', place === chosen ? undefined : place)"
        >
          <span class="number cells">{{ count(r.changed) }}</span>
          <span class="what"
            ><b>{{ r.column }}</b> {{ r.remedy }}</span
          >
          <span class="soft">{{ r.sampleRows ? 'in many ways' : counted(r.ways ?? 0, 'way', 'ways') }}</span>
          <span v-if="r.spoilt" class="spoilt">{{
            counted(r.spoilt, 'value was right before it', 'values were right before it')
          }}</span>
        </button>
        <div
          v-if="place === chosen"
          class="changes"
          role="region"
          :aria-label="`Changes of ${r.column} by ${r.remedy}`"
          tabindex="0"
        >
          <table>
            <thead>
              <tr>
                <th scope="col" class="number">cells</th>
                <th scope="col">before</th>
                <th scope="col">after</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="(p, i) in r.pairs" :key="i">
                <td class="number">{{ count(p.cells) }}</td>
                <td>
                  <span v-if="p.before === ''" class="blank">empty</span
                  ><span v-else class="cell">{{ visible(p.before) }}</span>
                </td>
                <td>
                  <span v-if="p.after === ''" class="blank">empty</span
                  ><span v-else class="cell">{{ visible(p.after) }}</span>
                </td>
              </tr>
            </tbody>
          </table>
          <p v-if="rest(r)" class="soft">{{ rest(r) }}</p>
        </div>
      </li>
    </template>
  </ul>
</template>

<style scoped>
ul {
  list-style: none;
  margin: 0;
  padding: 0 0 10px;
}

li {
  border-top: 1px solid var(--line);
}

li.chosen {
  background: var(--grain-wash);
}

button {
  display: grid;
  grid-template-columns: minmax(76px, auto) minmax(0, 1fr) auto; /* a count of millions keeps its place */
  gap: 2px 10px;
  align-items: baseline;
  width: 100%;
  padding: 6px 12px;
  border: 0;
  background: none;
  color: inherit;
  font: inherit;
  text-align: left;
  cursor: pointer;
}

button:hover {
  background: var(--grain-wash);
}

.cells {
  font-weight: 600;
}

.what {
  overflow-wrap: anywhere;
}

.spoilt {
  grid-column: 2 / -1;
  color: var(--rust);
}

.changes {
  max-height: 340px;
  overflow: auto;
  padding: 0 12px 8px 30px;
  font-size: 13px;
}

table {
  border-collapse: collapse;
}

th {
  position: sticky;
  top: 0;
  background: var(--grain-wash);
  text-align: left;
  font-weight: 500;
}

th.number {
  text-align: right;
}

th,
td {
  padding: 2px 10px;
}

td {
  border-top: 1px solid var(--line);
  overflow-wrap: anywhere;
}

.cell {
  white-space: pre-wrap;
}

.blank {
  color: var(--soft);
  font-style: italic;
}

p {
  margin: 6px 0 0;
}
</style>
