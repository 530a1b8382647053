<script setup lang="ts">
import { ElPagination, ElSkeleton } from 'element-plus'
import { computed, onBeforeUnmount, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { answered, api, type Delivery, type RunHead } from '../api/client'
import DropZone from '../components/DropZone.vue'
import FailureNote from '../components/FailureNote.vue'
import StateMark from '../components/StateMark.vue'
import TallyBar from '../components/TallyBar.vue'
import { count, counted, size, time } from '../format'
import { useUploads } from '../uploads'

/** Where a delivery opens: new ones where they are read first. */
const stationOf = (d: Delivery): string => `/deliveries/${d.id}${d.state === 'arrived' ? '/reading' : ''}`

/** What is said of a run that is newer than the one that the state is of. */
function newestOf(r: RunHead): string {
  if (!r.target && r.state === 'done') return 'also run without a target'
  const which = r.target ? 'a newer run' : 'a run without a target'
  switch (r.state) {
    case 'waiting': return `${which} waits`
    case 'running': return `${which} is under way`
    case 'failed': return `${which} failed`
    default: return `${which} was cancelled`
  }
}

const perPage = 50
/** How often the list is looked at again, in milliseconds; files also arrive through the inbox. */
const every = 2000

const route = useRoute()
const router = useRouter()
const uploads = useUploads()
const page = computed(() => Math.max(1, Number(route.query.page) || 1))
const items = ref<Delivery[]>()
const total = ref(0)
const error = ref<unknown>()
let timer = 0
let isGone = false

async function load(): Promise<void> {
  window.clearTimeout(timer)
  try {
    const found = await answered(api.GET('/api/v1/deliveries', { params: { query: { offset: (page.value - 1) * perPage, limit: perPage } } }))
    items.value = found.items
    total.value = found.total
    error.value = undefined
  } catch (e) {
    error.value = e
  }
  if (!isGone) timer = window.setTimeout(() => void load(), every)
}

watch([page, () => uploads.arrived], () => void load(), { immediate: true })
onBeforeUnmount(() => {
  isGone = true
  window.clearTimeout(timer)
})
</script>

<template>
  <div class="top">
    <h1>Deliveries</h1>
    <span v-if="items" class="soft">{{ counted(total, 'file has arrived', 'files have arrived') }}</span>
  </div>
  <DropZone class="apart" />
  <FailureNote v-if="error" :error="error" :retry="load" class="apart" />
  <ElSkeleton v-if="!items && !error" :rows="6" animated />
  <div v-else-if="items && total === 0" class="sheet empty">
    <h2>Nothing has arrived yet</h2>
    <p>Hand in a file above, put one into the inbox folder of the service, or send one with <code>sieb deliveries add FILE</code>.</p>
  </div>
  <template v-else-if="items">
    <div class="sheet scroll" role="region" aria-label="Deliveries" tabindex="0">
      <table>
        <thead>
          <tr>
            <th scope="col">Delivery</th>
            <th scope="col">Arrived</th>
            <th scope="col" class="number">Size</th>
            <th scope="col">State</th>
            <th scope="col">Target</th>
            <th scope="col" class="number">Read</th>
            <th scope="col" class="number">Accepted</th>
            <th scope="col" class="number">Rejected</th>
            <th scope="col" class="barred">Tally</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="d in items" :key="d.id" @click="router.push(stationOf(d))">
            <td class="name">
              <RouterLink :to="stationOf(d)" @click.stop>{{ d.name }}</RouterLink>
              <span v-if="d.repeatOf" class="repeat" title="The same bytes have arrived before">repeat</span>
            </td>
            <td class="soft nowrap">{{ time(d.arrivedAt) }}</td>
            <td class="number">{{ size(d.bytes) }}</td>
            <td>
              <StateMark :state="d.state" />
              <span v-if="d.newest" class="newest">{{ newestOf(d.newest) }}</span>
            </td>
            <td class="soft target">{{ d.run?.target?.name ?? '' }}</td>
            <template v-if="d.run?.tally">
              <td class="number">{{ count(d.run.tally.read) }}</td>
              <td class="number">{{ count(d.run.tally.accepted) }}</td>
              <td class="number">{{ count(d.run.tally.rejected) }}</td>
              <td><TallyBar :tally="d.run.tally" slim /></td>
            </template>
            <td v-else colspan="4" class="soft">
              <template v-if="d.state === 'arrived'">not yet run with a target: open it to see how it reads</template>
              <template v-else-if="d.state === 'running' && d.run">{{ count(d.run.progress.rows) }} rows so far</template>
              <template v-else-if="d.run?.error">{{ d.run.error }}</template>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <ElPagination
      v-if="total > perPage"
      class="pages"
      layout="prev, pager, next"
      :page-size="perPage"
      :total="total"
      :current-page="page"
      @current-change="(p: number) => router.push({ query: { page: p } })"
    />
  </template>
</template>

<style scoped>
.top {
  display: flex;
  align-items: baseline;
  gap: 14px;
}

.apart {
  margin: 14px 0;
}

.scroll {
  overflow-x: auto;
}

table {
  width: 100%;
  border-collapse: collapse;
}

th {
  text-align: left;
  font-weight: 600;
  color: var(--soft);
  font-size: 12.5px;
}

th.number {
  text-align: right;
}

th,
td {
  padding: 8px 12px;
  border-bottom: 1px solid var(--line);
}

tbody tr {
  cursor: pointer;
}

tbody tr:hover {
  background: var(--grain-wash);
}

tbody tr:last-child td {
  border-bottom: 0;
}

.name {
  overflow-wrap: anywhere;
  min-width: 200px;
}

.target {
  min-width: 168px;
  overflow-wrap: anywhere;
}

.nowrap {
  white-space: nowrap;
}

.barred {
  width: 140px;
}

.newest {
  display: block;
  font-size: 12px;
  color: var(--soft);
}

.repeat {
  margin-left: 8px;
  padding: 0 6px;
  border: 1px solid var(--husk);
  border-radius: 8px;
  font-size: 12px;
  color: var(--soft);
}

.empty {
  padding: 28px;
}

.pages {
  margin-top: 12px;
  justify-content: center;
}
</style>
