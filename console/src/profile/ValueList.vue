<script setup lang="ts">
/** Values or other kinds of a column with their counts; each leads to its rows. */
import { count, share, visible } from '../format'

export interface Entry {
  text: string
  count: number
  note?: string
}

const {
  title,
  entries,
  whole = undefined,
  wrap = false,
} = defineProps<{ title: string; entries: Entry[]; whole?: number; wrap?: boolean }>()
const emit = defineEmits<{ choose: [index: number] }>()
const most = (): number => Math.max(1, ...entries.map((e) => e.count))
</script>

<template>
  <section v-if="entries.length > 0">
    <h3>{{ title }}</h3>
    <ul>
      <li v-for="(e, i) in entries" :key="i">
        <button type="button" :title="`Show the rows: ${visible(e.text)}`" @click="emit('choose', i)">
          <span class="text" :class="{ wrap }">{{ visible(e.text) }}</span>
          <span class="count">{{ e.count > 0 ? count(e.count) : '' }}</span>
          <span class="share">{{ whole && e.count > 0 ? share(e.count, whole) : (e.note ?? '') }}</span>
          <span class="bar"><i v-if="e.count > 0" :style="{ width: `${(100 * e.count) / most()}%` }" /></span>
        </button>
      </li>
    </ul>
  </section>
</template>

<style scoped>
h3 {
  font-size: 14px;
  margin: 14px 0 4px;
}

ul {
  list-style: none;
  margin: 0;
  padding: 0;
}

button {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(70px, max-content) 62px 70px;
  gap: 8px;
  align-items: center;
  width: 100%;
  padding: 2px 4px;
  border: 0;
  background: none;
  color: var(--ink);
  font-size: 13px;
  text-align: left;
  cursor: pointer;
}

button:hover {
  background: var(--husk-wash);
}

.text {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: pre;
}

.wrap {
  white-space: pre-wrap;
}

.count,
.share {
  text-align: right;
}

.share {
  color: var(--soft);
}

.bar i {
  display: block;
  height: 7px;
  background: var(--grain);
}
</style>
