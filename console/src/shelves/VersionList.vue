<script setup lang="ts">
/** The versions of a text: who, when, and what differs; and any two of them compared. */
import { ElOption, ElPagination, ElSelect } from 'element-plus'
import { computed, ref, watch } from 'vue'
import { useAddress } from '../address'
import type { Difference, TextVersion } from '../api/client'
import FailureNote from '../components/FailureNote.vue'
import { time } from '../format'
import { ask } from './names'

const { path, newest } = defineProps<{ path: string; newest: number }>()
const perPage = 25
const address = useAddress()
const versions = ref<TextVersion[]>([])
const total = ref(0)
const compared = ref<Difference[]>()
const error = ref<unknown>()
const from = computed(() => Number(address.of('from')) || 0)
const to = computed(() => Number(address.of('to')) || 0)
const numbers = computed(() => Array.from({ length: total.value }, (_, i) => total.value - i))

async function load(): Promise<void> {
  error.value = undefined
  try {
    const found = await ask<{ items: TextVersion[]; total: number }>(
      `${path}/versions?limit=${perPage}&offset=${(address.page() - 1) * perPage}`,
    )
    versions.value = found.items
    total.value = found.total
    compared.value =
      from.value > 0 && to.value > 0
        ? (await ask<{ items: Difference[] }>(`${path}/differences?from=${from.value}&to=${to.value}`)).items
        : undefined
  } catch (e) {
    error.value = e
  }
}
watch(
  () => [path, newest, address.page(), from.value, to.value],
  () => void load(),
  { immediate: true },
)

const byColumn = computed(() => {
  const found = new Map<string, string[]>()
  for (const d of compared.value ?? []) found.set(d.column ?? '', [...(found.get(d.column ?? '') ?? []), d.words])
  return [...found].map(([column, words]) => ({ column, words }))
})
</script>

<template>
  <FailureNote v-if="error" :error="error" :retry="load" />
  <div v-if="total > 1" class="bar">
    <span class="soft">compare version</span>
    <ElSelect
      size="small"
      class="number-of"
      :model-value="from || undefined"
      placeholder="…"
      aria-label="From version"
      @change="(v: number) => address.go({ from: v, to: to || newest })"
      ><ElOption v-for="n in numbers" :key="n" :value="n" :label="String(n)"
    /></ElSelect>
    <span class="soft">with</span>
    <ElSelect
      size="small"
      class="number-of"
      :model-value="to || undefined"
      placeholder="…"
      aria-label="To version"
      @change="(v: number) => address.go({ to: v, from: from || 1 })"
      ><ElOption v-for="n in numbers" :key="n" :value="n" :label="String(n)"
    /></ElSelect>
  </div>
  <div v-if="compared" class="compared" role="region" aria-label="What differs">
    <p v-if="compared.length === 0" class="soft">They say the same.</p>
    <dl>
      <template v-for="d in byColumn" :key="d.column"
        ><dt>{{ d.column || 'as a whole' }}</dt>
        <dd>
          <div v-for="w in d.words" :key="w">{{ w }}</div>
        </dd></template
      >
    </dl>
  </div>
  <div class="scroll" role="region" aria-label="Versions" tabindex="0">
    <table class="dense">
      <thead>
        <tr>
          <th class="number few">version</th>
          <th class="few">saved</th>
          <th>by</th>
          <th>what differs from the one before</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="v in versions" :key="v.version">
          <td class="number">
            <button type="button" class="link" @click="address.go({ version: v.version, view: undefined })">
              {{ v.version }}
            </button>
          </td>
          <td class="few">{{ time(v.addedAt) }}</td>
          <td>{{ v.addedBy ?? '' }}</td>
          <td>
            <span v-if="v.version === 1" class="soft">the first one</span>
            <div v-for="d in v.differs" :key="(d.column ?? '') + d.words">
              <b v-if="d.column">{{ d.column }}</b> {{ d.words }}
            </div>
          </td>
        </tr>
      </tbody>
    </table>
  </div>
  <ElPagination
    v-if="total > perPage"
    size="small"
    layout="prev, pager, next"
    :total="total"
    :page-size="perPage"
    :current-page="address.page()"
    @current-change="(p: number) => address.go({ page: p === 1 ? undefined : p })"
  />
</template>

<style scoped>
.bar {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px 12px;
  padding: 8px 12px;
}

.scroll {
  overflow-x: auto;
}

.few {
  width: 1px;
  white-space: nowrap;
}

.number-of {
  width: 84px;
}

.compared {
  margin: 0 12px 10px;
  padding: 6px 12px;
  background: var(--husk-wash);
  border-radius: 3px;
}

.compared p {
  margin: 0;
}

dl {
  display: grid;
  grid-template-columns: minmax(90px, 180px) minmax(0, 1fr);
  gap: 3px 14px;
  margin: 0;
}

dt {
  font-weight: 600;
  overflow-wrap: anywhere;
}

dd {
  margin: 0;
}

td {
  overflow-wrap: anywhere;
}
</style>
