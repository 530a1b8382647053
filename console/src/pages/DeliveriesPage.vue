<script setup lang="ts">
import { ElInput, ElOption, ElPagination, ElSelect, ElSkeleton } from 'element-plus'
import { computed, onBeforeUnmount, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { useAddress } from '../address'
import { answered, api, type Delivery, type RunHead } from '../api/client'
import DeliveryActions from '../components/DeliveryActions.vue'
import DropZone from '../components/DropZone.vue'
import FailureNote from '../components/FailureNote.vue'
import StateMark from '../components/StateMark.vue'
import TallyBar from '../components/TallyBar.vue'
import { count, counted, size, time } from '../format'
import { useUploads } from '../uploads'

/** Where a delivery opens: new ones where they are read first. */
/** Where one goes on: of what was accepted as a whole there is nothing to mend. */
function stationOf(d: Delivery): string {
  const station = d.state === 'arrived' || d.refusal ? '/reading' : d.state === 'accepted' ? '/result' : ''
  return `/deliveries/${d.id}${station}`
}

/** What is said of a run that is newer than the one that the state is of. */
function newestOf(r: RunHead): string {
  if (!r.target && r.state === 'done') return 'also run without a target'
  const which = r.target ? 'a newer run' : 'a run without a target'
  switch (r.state) {
    case 'waiting':
      return `${which} waits`
    case 'running':
      return `${which} is under way`
    case 'failed':
      return `${which} failed`
    default:
      return `${which} was cancelled`
  }
}

const perPage = 50
/** How often the list is looked at again, in milliseconds; files also arrive through the inbox. */
const every = 2000
const states = ['arrived', 'waiting', 'running', 'accepted', 'split', 'refused', 'failed', 'cancelled'] as const
type State = (typeof states)[number]

const router = useRouter()
const uploads = useUploads()
const address = useAddress()
const page = computed(() => address.page())
const find = computed(() => address.of('find') ?? '')
const state = computed(() => states.find((s) => s === address.of('state')))
const strange = computed(() => {
  const given = address.of('state')
  return given !== undefined && state.value === undefined
    ? `There is no state “${given}”; all deliveries are shown.`
    : ''
})
const items = ref<Delivery[]>()
const total = ref(0)
const error = ref<unknown>()
let timer = 0
let latest = 0

async function load(): Promise<void> {
  const mine = ++latest
  window.clearTimeout(timer)
  try {
    const query = {
      offset: (page.value - 1) * perPage,
      limit: perPage,
      find: find.value || undefined,
      state: state.value,
    }
    const found = await answered(api.GET('/api/v1/deliveries', { params: { query } }))
    if (mine !== latest) return
    items.value = found.items
    total.value = found.total
    error.value = undefined
  } catch (e) {
    if (mine === latest) error.value = e
  }
  if (mine === latest) timer = window.setTimeout(() => void load(), every)
}

/** What is typed is looked for when the fingers rest. */
const typed = ref(find.value)
let typing = 0
watch(typed, (text) => {
  window.clearTimeout(typing)
  typing = window.setTimeout(() => address.swap({ find: text.trim(), page: undefined }), 250)
})
watch(find, (text) => {
  if (text !== typed.value.trim()) typed.value = text
})

watch([page, find, state, () => uploads.arrived], () => void load(), { immediate: true })
onBeforeUnmount(() => {
  latest++
  window.clearTimeout(timer)
  window.clearTimeout(typing)
})
</script>

<template>
  <div class="top">
    <h1>Deliveries</h1>
    <span v-if="items" class="soft" role="status">
      {{
        find || state
          ? counted(total, 'delivery found', 'deliveries found')
          : counted(total, 'file has arrived', 'files have arrived')
      }}
    </span>
  </div>
  <DropZone class="apart" />
  <FailureNote v-if="error" :error="error" :retry="load" class="apart" />
  <div v-if="items && (total > 0 || find || state)" class="tools">
    <ElInput
      v-model="typed"
      class="find"
      clearable
      placeholder="Find by name or note"
      aria-label="Find deliveries by name or note"
    />
    <ElSelect
      class="state"
      :model-value="state ?? 'any'"
      aria-label="State of the deliveries"
      @change="(s: State | 'any') => address.go({ state: s === 'any' ? undefined : s, page: undefined })"
    >
      <ElOption value="any" label="in any state" />
      <ElOption v-for="s in states" :key="s" :value="s" :label="s" />
    </ElSelect>
    <span v-if="strange" class="soft">{{ strange }}</span>
  </div>
  <ElSkeleton v-if="!items && !error" :rows="6" animated />
  <div v-else-if="items && total === 0 && (find || state)" class="sheet empty">
    <h2>No delivery is like this</h2>
    <p>
      Nothing {{ state ? `in the state “${state}”` : '' }} {{ find ? `has “${find}” in its name or note` : '' }}.
      <button type="button" class="link" @click="address.go({ find: undefined, state: undefined, page: undefined })">
        Show all
      </button>
    </p>
  </div>
  <div v-else-if="items && total > 0 && items.length === 0" class="sheet empty">
    <h2>There is no page {{ page }}</h2>
    <p><button type="button" class="link" @click="address.go({ page: undefined })">To the first page</button></p>
  </div>
  <div v-else-if="items && total === 0" class="sheet empty">
    <h2>Nothing has arrived yet</h2>
    <p>
      Drop a file above, put one into the service’s inbox folder, or send one with
      <code>sieb deliveries add FILE</code>.
    </p>
  </div>
  <template v-else-if="items">
    <div class="sheet scroll" role="region" aria-label="Deliveries" tabindex="0">
      <table>
        <thead>
          <tr>
            <th scope="col">Delivery</th>
            <th scope="col">State</th>
            <th scope="col">Arrived</th>
            <th scope="col" class="number">Size</th>
            <th scope="col">Target</th>
            <th scope="col" class="number">Read</th>
            <th scope="col" class="number">Accepted</th>
            <th scope="col" class="number">Rejected</th>
            <th scope="col" class="barred">Tally</th>
            <th scope="col"><span class="unseen">Actions</span></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="d in items" :key="d.id" @click="router.push(stationOf(d))">
            <td class="name">
              <RouterLink :to="stationOf(d)" @click.stop>{{ d.name }}</RouterLink>
              <RouterLink
                v-if="d.repeatOf"
                :to="`/deliveries/${d.repeatOf}`"
                class="repeat"
                title="The same bytes have arrived before: see the first"
                @click.stop
                >repeat</RouterLink
              >
              <span v-if="d.note" class="newest">{{ d.note }}</span>
            </td>
            <td>
              <StateMark :state="d.state" />
              <span v-if="d.newest" class="newest">{{ newestOf(d.newest) }}</span>
            </td>
            <td class="soft nowrap">{{ time(d.arrivedAt) }}</td>
            <td class="number">{{ size(d.bytes) }}</td>
            <td class="soft target">{{ d.run?.target?.name ?? '' }}</td>
            <template v-if="d.run?.tally">
              <td class="number">{{ count(d.run.tally.read) }}</td>
              <td class="number">{{ count(d.run.tally.accepted) }}</td>
              <td class="number">{{ count(d.run.tally.rejected) }}</td>
              <td><TallyBar :tally="d.run.tally" slim :refused="d.run.verdict === 'refused'" /></td>
            </template>
            <td v-else colspan="4" class="soft">
              <template v-if="d.state === 'arrived'">not yet sifted: open it to see how it is read</template>
              <template v-else-if="d.state === 'running' && d.run"
                >{{ counted(d.run.progress.rows, 'row', 'rows') }} so far</template
              >
              <template v-else-if="d.refusal">{{ d.refusal }}</template>
              <template v-else-if="d.run?.error">{{ d.run.error }}</template>
            </td>
            <td class="act" @click.stop><DeliveryActions :delivery="d" @changed="load" @deleted="load" /></td>
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
      @current-change="(p: number) => address.go({ page: p > 1 ? p : undefined })"
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

.tools {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px;
  margin-bottom: 10px;
}

.find {
  width: min(320px, 100%);
}

.state {
  width: 150px;
}

.act {
  padding: 4px;
}

.scroll {
  position: relative;
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
  min-width: 150px;
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
