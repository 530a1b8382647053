<script setup lang="ts">
/** The targets, mappings or code lists of a page, one a row. */
import { count, time } from '../format'
import { libraryWords, type Library, type ShelfItem } from './names'

const { library, items } = defineProps<{ library: Library; items: ShelfItem[] }>()
const emit = defineEmits<{ copy: [name: string] }>()
</script>

<template>
  <div class="sheet scroll" role="region" :aria-label="libraryWords[library].title" tabindex="0">
    <table>
      <thead>
        <tr>
          <th>{{ libraryWords[library].one }}</th>
          <th v-if="library === 'mappings'">for the target</th>
          <th v-if="library === 'targets'" class="number roomy">columns</th>
          <th class="number">version</th>
          <th>changed</th>
          <th class="number roomy">deliveries</th>
          <th class="unseen">actions</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="t in items" :key="t.name">
          <td>
            <RouterLink :to="`/${library}/${t.name}`"
              ><b>{{ t.name }}</b></RouterLink
            >
            <span class="soft">{{ t.title === t.name ? '' : t.title }}</span><span v-if="t.retired" class="mark"
              >retired</span
            >
          </td>
          <td v-if="library === 'mappings'">
            <RouterLink :to="`/targets/${t.for}`">{{ t.for }}</RouterLink>
          </td>
          <td v-if="library === 'targets'" class="number roomy">{{ t.columns ? count(t.columns) : '' }}</td>
          <td class="number">{{ t.version }}</td>
          <td>
            {{ time(t.addedAt) }}<span v-if="t.addedBy" class="soft"> by {{ t.addedBy }}</span>
          </td>
          <td class="number roomy">{{ t.deliveries ? count(t.deliveries) : '' }}</td>
          <td class="number">
            <button type="button" class="link" :aria-label="`Copy ${t.name}`" @click="emit('copy', t.name)">
              copy
            </button>
          </td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.scroll {
  overflow-x: auto;
}

table {
  width: 100%;
  border-collapse: collapse;
}

th,
td {
  padding: 6px 12px;
  border-top: 1px solid var(--line);
  text-align: left;
  vertical-align: baseline;
}

th {
  border-top: 0;
  background: var(--husk-wash);
  white-space: nowrap;
}

th.number,
td.number {
  text-align: right;
}

/* On a narrow page the name and what was changed last count most. */
@media (max-width: 560px) {
  th,
  td {
    padding: 6px;
  }

  .roomy {
    display: none;
  }

  td:first-child {
    overflow-wrap: anywhere;
  }
}

.mark {
  margin-left: 8px;
  padding: 0 6px;
  border: 1px solid var(--line);
  border-radius: 8px;
  font-size: 12px;
}
</style>
