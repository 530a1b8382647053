<script setup lang="ts">
import { ElButton, ElProgress, ElSkeleton } from 'element-plus'
import { computed, onBeforeUnmount, ref, shallowRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { answered, api, ServiceError, type Delivery, type DeliveryProfile, type Filter, type Finding, type Target } from '../api/client'
import DeliveryHead from '../components/DeliveryHead.vue'
import FailureNote from '../components/FailureNote.vue'
import TargetDraft from '../components/TargetDraft.vue'
import { count, counted, size, visible } from '../format'
import ColumnList from '../profile/ColumnList.vue'
import ColumnView from '../profile/ColumnView.vue'
import { withRule } from '../profile/draft'
import FindingList from '../profile/FindingList.vue'
import RowsBehind from '../profile/RowsBehind.vue'

const { id } = defineProps<{ id: string }>()
const route = useRoute()
const router = useRouter()

const delivery = ref<Delivery>()
const kept = shallowRef<DeliveryProfile>()
/** The column that is looked at; it stands in the address. */
const chosen = computed(() => (typeof route.query.column === 'string' ? route.query.column : undefined))
const filters = ref<Filter[]>([])
const draft = ref<string>()
const isDrafting = ref(false)
/** The draft before the last change that a click made, while nothing else has changed it. */
const undo = ref<{ before: string; after: string; what: string }>()
const canUndo = computed(() => undo.value !== undefined && undo.value.after === draft.value)
/** Where in the draft the rule stands that was put in last. */
const mark = ref<[number, number]>()
const said = ref('')
const error = ref<unknown>()
const path = computed(() => ({ params: { path: { id } } }))
const profile = computed(() => kept.value?.profile)
const column = computed(() => profile.value?.columns.find((c) => c.name === chosen.value))
const own = computed(() => (profile.value?.findings ?? []).filter((f) => (f.columns ?? []).includes(chosen.value ?? '')))
const isBusy = computed(() => kept.value?.state === 'waiting' || kept.value?.state === 'running')
const isOld = computed(() => kept.value !== undefined && delivery.value !== undefined && JSON.stringify(kept.value.given) !== JSON.stringify(delivery.value.layout ?? {}))
let latest = 0
let timer = 0

async function load(): Promise<void> {
  const mine = ++latest
  error.value = undefined
  try {
    delivery.value = await answered(api.GET('/api/v1/deliveries/{id}', path.value))
    document.title = `${delivery.value.name} · Profile · Sieb`
    try {
      kept.value = await answered(api.GET('/api/v1/deliveries/{id}/profile', path.value))
    } catch (e) {
      if (!(e instanceof ServiceError) || e.status !== 404) throw e
      await start(false)
    }
    if (mine === latest) follow(mine)
    // The delivery is laid open, so that the rows behind a value are found at once.
    void api.POST('/api/v1/deliveries/{id}/reading', { ...path.value, body: { layout: kept.value?.given ?? {} } })
  } catch (e) {
    if (mine === latest) error.value = e
  }
}

/** Asks again until the profile has come to its end. */
function follow(mine: number): void {
  window.clearTimeout(timer)
  if (!isBusy.value) return
  timer = window.setTimeout(async () => {
    try {
      const p = await answered(api.GET('/api/v1/deliveries/{id}/profile', path.value))
      if (mine !== latest) return
      kept.value = p
      follow(mine)
    } catch (e) {
      if (mine === latest) error.value = e
    }
  }, 300)
}

async function start(again: boolean): Promise<void> {
  error.value = undefined
  try {
    kept.value = await answered(api.POST('/api/v1/deliveries/{id}/profile', { ...path.value, body: { again } }))
    follow(latest)
  } catch (e) {
    error.value = e
  }
}

async function stop(): Promise<void> {
  try {
    kept.value = await answered(api.POST('/api/v1/deliveries/{id}/profile/cancel', path.value))
  } catch (e) {
    error.value = e
  }
}

async function look(name: string, on: boolean): Promise<void> {
  if (!kept.value) return
  const columns = on ? [...kept.value.looked, name] : kept.value.looked.filter((n) => n !== name)
  kept.value = { ...kept.value, looked: columns }
  try {
    await answered(api.PUT('/api/v1/deliveries/{id}/profile/looked', { ...path.value, body: { columns } }))
  } catch (e) {
    error.value = e
  }
}

function show(name?: string): void {
  filters.value = []
  void router.push({ query: name === undefined ? {} : { column: name } })
}

function choose(name: string): void {
  show(name)
  if (!kept.value?.looked.includes(name)) void look(name, true)
}

/** Puts a text into the draft in such a way that it can be taken back. */
function put(text: string, what: string): void {
  if (draft.value !== undefined) undo.value = { before: draft.value, after: text, what }
  draft.value = text
}

function takeBack(): void {
  draft.value = undo.value?.before
  undo.value = mark.value = undefined
}

async function openDraft(): Promise<void> {
  isDrafting.value = true
  if (draft.value === undefined) await makeDraft()
}

async function makeDraft(): Promise<void> {
  said.value = ''
  mark.value = undefined
  try {
    put((await answered(api.GET('/api/v1/deliveries/{id}/draft', path.value))).text, 'the new start')
  } catch (e) {
    error.value = e
  }
}

/** Puts the rule that deals with a finding into the draft. */
async function rule(f: Finding): Promise<void> {
  await openDraft()
  const name = f.columns?.[0] ?? ''
  const position = (profile.value?.columns ?? []).findIndex((c) => c.name === name) + 1
  const done = withRule(draft.value ?? '', name, position, f.rule ?? '')
  if (!done) return
  if (done.text !== draft.value) put(done.text, f.rule ?? '')
  mark.value = done.mark
}

function added(t: Target): void {
  said.value = `Added: target ${t.name}, version ${t.version}. Sift the delivery with it.`
}

watch(() => id, () => {
  delivery.value = kept.value = draft.value = undo.value = undefined
  isDrafting.value = false
  filters.value = []
  void load()
}, { immediate: true })
onBeforeUnmount(() => {
  latest++
  window.clearTimeout(timer)
})
</script>

<template>
  <DeliveryHead :id="id" :delivery="delivery" />
  <FailureNote v-if="error" :error="error" :retry="load" class="note" />
  <ElSkeleton v-if="!kept && !error" :rows="8" animated />

  <section v-if="kept && isBusy" class="sheet busy" aria-label="Progress">
    <p role="status">{{ counted(kept.progress.rows, 'row', 'rows') }} looked at, {{ size(kept.progress.bytes) }} of {{ size(kept.progress.totalBytes) }}</p>
    <ElProgress :percentage="Math.floor((100 * kept.progress.bytes) / Math.max(1, kept.progress.totalBytes))" aria-label="Progress of the profile" />
    <TroubleNote :trouble="kept.trouble" />
    <ElButton size="small" @click="stop">Stop</ElButton>
  </section>
  <section v-else-if="kept && !profile" class="sheet busy">
    <p>{{ kept.state === 'failed' ? kept.error : 'The profile was stopped.' }}</p>
    <ElButton size="small" type="primary" @click="start(true)">Make it again</ElButton>
    <RouterLink :to="`/deliveries/${id}/reading`">see how it reads</RouterLink>
  </section>

  <template v-if="profile && kept">
    <p v-if="isOld" class="note sheet old">The layout was changed since. <ElButton size="small" @click="start(true)">Profile it as it reads now</ElButton></p>
    <div class="station">
      <section class="sheet columns" aria-label="Overview of the columns">
        <ColumnList :profile="profile" :looked="kept.looked" :chosen="chosen" @choose="choose" @look="look" />
      </section>
      <div>
        <section class="sheet main" aria-label="Profile">
          <template v-if="column">
            <button type="button" class="link" @click="show()">← all findings</button>
            <ColumnView :column="column" :findings="own" @filter="(f) => (filters = f)" @rows="(f) => (filters = f.filters ?? [])" @rule="rule" />
          </template>
          <template v-else>
            <div class="head">
              <h2>{{ counted(profile.rows, 'row', 'rows') }} of {{ counted(profile.columns.length, 'column', 'columns') }}</h2>
              <span v-if="profile.damaged > 0" class="soft">{{ counted(profile.damaged, 'row is', 'rows are') }} damaged, and left out of the figures</span>
              <ElButton size="small" type="primary" :disabled="profile.rows === 0" @click="openDraft">{{ draft === undefined || isDrafting ? 'Draft a target' : 'Back to the draft' }}</ElButton>
            </div>
            <p v-if="profile.rows === 0" class="soft">There is nothing to profile: the delivery has no rows.</p>
            <p v-else-if="profile.findings.length === 0" class="soft">Nothing odd was found.</p>
            <FindingList :findings="profile.findings" @rows="(f) => (filters = f.filters ?? [])" @rule="rule" />
            <template v-if="profile.keys.length > 0 || profile.relations.length > 0">
              <h3>What holds</h3>
              <ul class="holds">
                <li v-for="k in profile.keys" :key="k.columns.join()">{{ k.columns.map(visible).join(', ') }} {{ k.columns.length === 1 ? 'tells' : 'together tell' }} rows apart{{ k.repeats ? `, save ${count(k.repeats)}` : '' }}</li>
                <li v-for="r in profile.relations" :key="r.kind + r.columns.join()">
                  {{ r.kind === 'sum' ? `${visible(r.columns[0] ?? '')} = ${r.columns.slice(1).map(visible).join(' + ')}` : `${visible(r.columns[0] ?? '')} ${r.kind === 'equal' ? 'is the same as' : r.kind === 'order' ? 'is never after' : 'tells'} ${visible(r.columns[1] ?? '')}` }}{{ r.exceptions ? `, save in ${counted(r.exceptions, 'row', 'rows')}` : '' }}
                </li>
              </ul>
            </template>
          </template>
        </section>
        <TargetDraft v-if="draft !== undefined && isDrafting" v-model="draft" :mark="mark" note="Read it, change what you know better, and add it. Only rows that the findings name are then rejected." @added="added" @close="isDrafting = false">
          <p class="again">
            <ElButton v-if="canUndo" size="small" @click="takeBack">Take back: {{ undo?.what }}</ElButton>
            <ElButton size="small" @click="makeDraft">Draft it anew</ElButton>
          </p>
          <p v-if="said" role="status" class="said">{{ said }} <RouterLink :to="`/deliveries/${id}`">on to sifting →</RouterLink></p>
        </TargetDraft>
        <RowsBehind v-if="filters.length > 0" :delivery="id" :profile="profile" :filters="filters" @filters="(f) => (filters = f)" @failed="(e) => (error = e)" />
      </div>
    </div>
  </template>
</template>

<style scoped>
.note {
  margin-bottom: 10px;
}

.old {
  padding: 8px 12px;
}

.busy {
  padding: 12px 14px;
}

.station {
  display: grid;
  grid-template-columns: 380px minmax(0, 1fr);
  gap: 14px;
  align-items: start;
}

.columns {
  max-height: calc(100vh - 24px);
  overflow: auto;
  position: sticky;
  top: 12px;
}

.main {
  padding: 10px 14px 14px;
}

.head {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 12px;
}

h3 {
  font-size: 15px;
  margin: 14px 0 4px;
}

.holds {
  margin: 0;
  padding-left: 28px;
}

.again {
  margin: 0 0 8px;
}

.said {
  color: var(--leaf);
}

@media (max-width: 1000px) {
  .station {
    grid-template-columns: minmax(0, 1fr);
  }

  .columns {
    position: static;
    max-height: 320px;
  }
}
</style>
