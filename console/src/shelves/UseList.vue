<script setup lang="ts">
/** The deliveries that were sifted by a text, the last one first. */
import { ElPagination } from 'element-plus'
import { ref, watch } from 'vue'
import { useAddress } from '../address'
import type { TextUse } from '../api/client'
import FailureNote from '../components/FailureNote.vue'
import StateMark from '../components/StateMark.vue'
import { time } from '../format'
import { ask } from './names'

const { path } = defineProps<{ path: string }>()
const perPage = 25
const address = useAddress()
const uses = ref<TextUse[]>()
const total = ref(0)
const error = ref<unknown>()

async function load(): Promise<void> {
  error.value = undefined
  try {
    const found = await ask<{ items: TextUse[]; total: number }>(
      `${path}/uses?limit=${perPage}&offset=${(address.page() - 1) * perPage}`,
    )
    uses.value = found.items
    total.value = found.total
  } catch (e) {
    error.value = e
  }
}
watch(
  () => [path, address.page()],
  () => void load(),
  { immediate: true },
)
</script>

<template>
  <FailureNote v-if="error" :error="error" :retry="load" />
  <p v-if="uses && total === 0" class="soft none">No delivery was sifted by it yet.</p>
  <table v-else-if="uses" class="dense">
    <thead>
      <tr>
        <th>delivery</th>
        <th>outcome</th>
        <th class="number">version</th>
        <th>sifted</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="u in uses" :key="u.delivery">
        <td>
          <RouterLink :to="`/deliveries/${u.delivery}?run=${u.run}`">{{ u.name }}</RouterLink>
        </td>
        <td><StateMark :state="u.verdict || u.state" /></td>
        <td class="number">{{ u.version }}</td>
        <td>{{ time(u.at) }}</td>
      </tr>
    </tbody>
  </table>
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
.none {
  margin: 0;
  padding: 10px 12px;
}
</style>
