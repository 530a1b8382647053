<script setup lang="ts">
/** All columns of a profile, a line each. */
import { ElInput, ElOption, ElSelect } from 'element-plus'
import { computed } from 'vue'
import { useAddress } from '../address'
import type { Profile } from '../api/client'
import { count, visible } from '../format'
import ColumnPicture from './ColumnPicture.vue'
import { datatype, listed, type Order, range } from './columns'

const { profile, looked, chosen = undefined } = defineProps<{ profile: Profile; looked: string[]; chosen?: string }>()
const emit = defineEmits<{ choose: [name: string]; look: [name: string, on: boolean] }>()

const address = useAddress()
const search = computed({ get: () => address.of('find') ?? '', set: (text) => address.swap({ find: text }) })
const order = computed<Order>({
  get: () => (['odd', 'name'] as const).find((o) => o === address.of('order')) ?? 'delivered',
  set: (o) => address.swap({ order: o === 'delivered' ? undefined : o }),
})
const left = computed({
  get: () => address.of('left') === 'yes',
  set: (is) => address.swap({ left: is ? 'yes' : undefined }),
})
const all = computed(() =>
  listed(profile, search.value, order.value).filter((l) => !left.value || !looked.includes(l.column.name)),
)
const remaining = computed(() => profile.columns.length - looked.length)
</script>

<template>
  <div class="tools">
    <ElInput v-model="search" size="small" placeholder="Find a column" clearable aria-label="Find a column" />
    <ElSelect v-model="order" size="small" aria-label="Order of the columns">
      <ElOption value="delivered" label="as delivered" />
      <ElOption value="odd" label="oddest first" />
      <ElOption value="name" label="by name" />
    </ElSelect>
    <label class="left"><input v-model="left" type="checkbox" /> only unchecked ones ({{ count(remaining) }})</label>
  </div>
  <p v-if="all.length === 0" class="soft none">
    {{ search ? `No column is named like “${search}”.` : 'All columns have been checked.' }}
  </p>
  <ul class="list" aria-label="Columns">
    <li v-for="l in all" :key="l.index" :class="{ here: l.column.name === chosen }">
      <input
        type="checkbox"
        :checked="looked.includes(l.column.name)"
        :aria-label="`${l.column.name} was checked`"
        :title="looked.includes(l.column.name) ? 'checked' : 'not checked yet'"
        @change="emit('look', l.column.name, ($event.target as HTMLInputElement).checked)"
      />
      <button type="button" :aria-pressed="l.column.name === chosen" @click="emit('choose', l.column.name)">
        <span class="name">{{ visible(l.column.name) }}</span>
        <ColumnPicture :column="l.column" class="picture" />
        <span class="type">{{ datatype(l.column) }}</span>
        <span class="distinct" title="different values"
          >{{ l.column.distinctExact ? '' : '≈ ' }}{{ count(l.column.distinct) }}</span
        >
        <span class="range">{{ visible(range(l.column)) }}</span>
        <span v-if="l.findings.length > 0" class="odd" :title="l.findings.map((f) => f.text).join('\n')"
          >{{ l.findings.length }} {{ l.findings.length === 1 ? 'finding' : 'findings' }}</span
        >
      </button>
    </li>
  </ul>
</template>

<style scoped>
.tools {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 130px;
  gap: 6px;
  padding: 10px 12px;
}

.left {
  grid-column: 1 / -1;
  font-size: 13px;
}

.none {
  padding: 0 12px 10px;
  margin: 0;
}

.list {
  list-style: none;
  margin: 0;
  padding: 0;
  border-top: 1px solid var(--line);
}

li {
  display: flex;
  align-items: stretch;
  border-bottom: 1px solid var(--line);
}

li > input {
  margin: 10px 0 0 12px;
  align-self: flex-start;
}

li > button {
  flex: 1;
  min-width: 0;
  display: grid;
  grid-template-columns: minmax(0, 1fr) 78px 116px;
  gap: 0 8px;
  align-items: center;
  text-align: left;
  padding: 6px 12px 6px 8px;
  border: 0;
  background: none;
  color: var(--ink);
  font-size: 13px;
  cursor: pointer;
}

li > button:hover {
  background: var(--husk-wash);
}

.here {
  background: var(--grain-wash);
}

.name {
  font-weight: 600;
  overflow-wrap: anywhere;
}

.type {
  justify-self: end;
}

.distinct,
.range {
  color: var(--soft);
}

.range {
  grid-column: 1;
  grid-row: 2;
  display: -webkit-box;
  -webkit-box-orient: vertical;
  -webkit-line-clamp: 2;
  overflow: hidden;
  overflow-wrap: anywhere;
}

.distinct {
  grid-column: 2;
  grid-row: 2;
  text-align: right;
}

.odd {
  grid-column: 3;
  grid-row: 2;
  justify-self: end;
  color: var(--rust);
}
</style>
