<script setup lang="ts">
import { ElInput } from 'element-plus'
import { computed, ref } from 'vue'
import type { Group } from '../api/client'
import { count, visible } from '../format'
import { meaning } from '../words'

export interface Choice {
  column: string
  code: string
}

const { groups, chosen = undefined } = defineProps<{ groups: Group[]; chosen?: Choice }>()
const emit = defineEmits<{ choose: [choice: Choice | undefined] }>()

const word = ref('')
/** From so many groups on a search helps. */
const many = 12

const weights = ['refuse', 'reject', 'blank', 'flag']
const shown = computed(() => {
  const w = word.value.trim().toLowerCase()
  const found = groups.filter((g) => `${g.column} ${g.code} ${meaning(g.code)}`.toLowerCase().includes(w))
  // What rejects stands before what is only told.
  return [...found].sort((x, y) => weights.indexOf(x.action) - weights.indexOf(y.action))
})

const isChosen = (g: Group): boolean => chosen?.code === g.code && chosen.column === g.column
const rejects = (g: Group): boolean => g.rows > 0 && (g.action === 'reject' || g.action === 'refuse')
</script>

<template>
  <ElInput
    v-if="groups.length > many"
    v-model="word"
    size="small"
    clearable
    placeholder="Column or violation"
    aria-label="Search violations"
    class="search"
  />
  <p v-if="shown.length === 0" class="soft none">No violation fits the search.</p>
  <ul>
    <li v-for="g in shown" :key="`${g.code}/${g.column}/${g.action}`" :class="{ chosen: isChosen(g) }">
      <button
        type="button"
        :aria-expanded="isChosen(g)"
        @click="emit('choose', isChosen(g) ? undefined : { column: g.column, code: g.code })"
      >
        <span class="rows number">{{ g.rows > 0 ? count(g.rows) : '–' }}</span>
        <span class="what">
          <b>{{ g.column || 'whole row' }}</b> {{ meaning(g.code) }}
          <span class="soft code">{{ g.code }}</span>
        </span>
        <span class="action" :class="g.action">{{ meaning(g.action) }}</span>
      </button>
      <div v-if="isChosen(g)" class="samples">
        <p v-if="!rejects(g) && g.rows > 0" class="soft">
          {{
            g.action === 'blank'
              ? 'The cells were emptied, and the rows not rejected for this.'
              : 'The rows were not rejected for this.'
          }}
        </p>
        <p v-for="s in g.samples" :key="`${s.row}/${s.line}/${s.value}`">
          <span class="soft">{{
            s.row > 0 ? `row ${count(s.row)}, line ${count(s.line)}` : `line ${count(s.line)}`
          }}</span>
          {{ visible(s.message) }}
        </p>
        <slot :group="g" />
        <p v-if="g.rows > g.samples.length" class="soft">
          The first {{ g.samples.length }} of {{ count(g.rows) }}; violations.csv has all.
        </p>
      </div>
    </li>
  </ul>
</template>

<style scoped>
ul {
  list-style: none;
  margin: 0;
  padding: 0;
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
  gap: 10px;
  align-items: baseline;
  width: 100%;
  padding: 7px 12px;
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

.rows {
  font-weight: 600;
}

.what {
  overflow-wrap: anywhere;
}

.code {
  font-size: 12px;
}

.action {
  font-size: 12.5px;
  white-space: nowrap;
}

.action.reject,
.action.refuse {
  color: var(--rust);
}

.action.blank,
.action.flag {
  color: var(--grain);
}

.samples {
  padding: 0 12px 8px 74px;
  font-size: 13px;
}

.samples p {
  margin: 3px 0;
  overflow-wrap: anywhere;
}

.search {
  padding: 8px 12px;
}

.none {
  padding: 0 12px;
}
</style>
