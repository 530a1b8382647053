<script setup lang="ts">
import { computed } from 'vue'
import type { Problem, Problems } from '../api/client'
import { count, counted, visible } from '../format'
import { meaning } from '../words'

const { problems } = defineProps<{ problems: Problems }>()
const emit = defineEmits<{ go: [row: number] }>()

/** Problems of one kind in one column, which mostly have one cause. */
const groups = computed(() => {
  const found = new Map<string, { code: string; column: string; first: Problem[]; n: number }>()
  for (const p of problems.items) {
    const key = `${p.code} ${p.column}`
    const group = found.get(key) ?? { code: p.code, column: p.column, first: [], n: 0 }
    group.n++
    if (group.first.length < 20) group.first.push(p)
    found.set(key, group)
  }
  return [...found.values()].sort((a, b) => b.n - a.n)
})
</script>

<template>
  <div class="head">
    <h2>Problems</h2>
    <span class="soft">
      <template v-if="problems.total > 0"
        >{{ count(problems.total)
        }}{{
          problems.total > problems.items.length ? `, the first ${count(problems.items.length)} of them shown` : ''
        }}; choose one to see its row</template
      >
      <template v-else-if="problems.all">Every row reads cleanly.</template>
      <template v-else>none in the {{ counted(problems.counted, 'row', 'rows') }} read so far…</template>
    </span>
  </div>
  <details v-for="g in groups" :key="g.code + g.column" :open="groups.length === 1">
    <summary>
      <span class="number n">{{ count(g.n) }}</span> <b>{{ meaning(g.code) }}</b>
      <template v-if="g.column"> in {{ g.column }}</template> <span class="soft code">{{ g.code }}</span>
    </summary>
    <ul>
      <li v-for="(p, i) in g.first" :key="i">
        <button type="button" @click="emit('go', p.row)">
          <span class="number where">{{ p.row > 0 ? `row ${count(p.row)}, ` : '' }}line {{ count(p.line) }}</span>
          {{ visible(p.message) }}
        </button>
      </li>
      <li v-if="g.n > g.first.length" class="soft more">and {{ counted(g.n - g.first.length, 'more', 'more') }}</li>
    </ul>
  </details>
</template>

<style scoped>
.head {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 4px 12px;
  padding: 10px 14px;
}

details {
  border-top: 1px solid var(--line);
}

summary {
  padding: 6px 14px;
  cursor: pointer;
}

.n {
  display: inline-block;
  min-width: 40px;
}

.code {
  margin-left: 6px;
  font-size: 12px;
}

ul {
  list-style: none;
  margin: 0 0 8px;
  padding: 0 14px 0 30px;
}

button {
  width: 100%;
  padding: 3px 6px;
  border: 0;
  background: none;
  color: inherit;
  font-size: 13px;
  text-align: left;
  cursor: pointer;
  overflow-wrap: anywhere;
}

button:hover {
  background: var(--grain-wash);
}

.where {
  display: inline-block;
  min-width: 130px;
  color: var(--soft);
}

.more {
  padding: 3px 6px;
}
</style>
