<script setup lang="ts">
/** The Profile station: what is in a delivery, what is odd, and what would mend it. */
import { ElButton, ElOption, ElProgress, ElSelect, ElSkeleton } from 'element-plus'
import { computed, nextTick, useTemplateRef, watch } from 'vue'
import { useAddress } from '../address'
import { api, type Filter, type Suggestion } from '../api/client'
import DeliveryHead from '../components/DeliveryHead.vue'
import FailureNote from '../components/FailureNote.vue'
import TroubleNote from '../components/TroubleNote.vue'
import { useDrafts } from '../drafts'
import { counted, size, visible } from '../format'
import ColumnList from '../profile/ColumnList.vue'
import ColumnView from '../profile/ColumnView.vue'
import { fedFrom } from '../profile/cures'
import { isFilter } from '../profile/filters'
import FindingList from '../profile/FindingList.vue'
import { useProfile } from '../profile/making'
import { useMending } from '../profile/mending'
import RowsBehind from '../profile/RowsBehind.vue'
import WhatHolds from '../profile/WhatHolds.vue'
import BeginRules from '../rules/BeginRules.vue'
import CureButton from '../rules/CureButton.vue'
import { lastOf, useRules, type NewRules } from '../rules/draft'
import DraftStrip from '../rules/DraftStrip.vue'
import { useFoundCures } from '../rules/found'
import { inWords } from '../rules/suggestions'
import OthersNote from '../rules/OthersNote.vue'
import { useStation } from '../station'

const { id } = defineProps<{ id: string }>()
const address = useAddress()
const book = useDrafts(() => id)
const work = useRules(() => id)
const making = useProfile(
  () => id,
  (e) => (error.value = e),
)
const { kept, isBusy, anew, start, stop, look } = making
/** The column that is looked at and the rows behind something: both stand in the address. */
const chosen = computed(() => address.of('column'))
const filters = computed(() => address.list('rows', isFilter))
const profile = computed(() => kept.value?.profile)
const column = computed(() => profile.value?.columns.find((c) => c.name === chosen.value))
const own = computed(() =>
  (profile.value?.findings ?? []).filter((f) => (f.columns ?? []).includes(chosen.value ?? '')),
)
const damagedWords = computed(() => {
  const [damaged, headers] = [profile.value?.damaged ?? 0, profile.value?.repeatedHeaders.rows ?? 0]
  return headers === 0 ? 'damaged' : headers === damaged ? 'the header again' : 'damaged or the header again'
})
const beginning = useTemplateRef<HTMLElement>('beginning')
/** One chooses by which rules the findings are mended. */
const isBeginning = computed(() => address.of('draft') === 'open' && !work.rules.value)
const {
  mending,
  rest,
  searching,
  error: noCures,
} = useMending(
  () => id,
  () => profile.value,
  () => chosen.value,
  work,
)
const strange = computed(() => {
  if (!profile.value) return ''
  if (chosen.value !== undefined && !column.value)
    return `The delivery has no column “${chosen.value}”; all findings are shown.`
  if (address.of('rows') !== undefined && filters.value.length === 0)
    return 'The address asks for rows in a way that is not understood.'
  return ''
})
const { delivery, error, load } = useStation(
  () => id,
  'Profile',
  async (found, isHere) => {
    void book.load()
    void work.load()
    await making.load(found, isHere)
    if (!isHere()) return
    // The delivery is laid open, so that the rows behind a value are found at once.
    void api.POST('/api/v1/deliveries/{id}/reading', {
      params: { path: { id } },
      body: { layout: kept.value?.given ?? {} },
    })
  },
  making.leave,
)

/** Which shares of a column's values may decide its datatype. */
const shares = [0.5, 0.75, 0.9, 0.95, 0.99, 1]

const show = (name?: string): void => address.go({ column: name, rows: undefined })

const showRows = (list: Filter[]): void => address.go({ rows: list.length > 0 ? JSON.stringify(list) : undefined })

/** What is added or taken away in the panel is no step of its own for Back. */
const changeRows = (list: Filter[]): void =>
  address.swap({ rows: list.length > 0 ? JSON.stringify(list) : undefined })

function choose(name: string): void {
  show(name)
  if (!kept.value?.looked.includes(name)) void look(name, true)
}

/** Begins a draft of rules: by what the delivery was sifted last, or as one chooses. */
async function mend(): Promise<void> {
  const last = delivery.value && lastOf(delivery.value)
  if (last) await work.begin(last)
  if (!work.rules.value) address.go({ draft: 'open' })
}

watch(isBeginning, async (is) => {
  await nextTick()
  if (is) beginning.value?.focus()
})

async function begin(body: NewRules): Promise<void> {
  await work.begin(body)
  if (work.rules.value) address.swap({ draft: undefined })
}

/** What deals with the rows behind something. */
const cures = useFoundCures(
  work,
  mend,
  () => ({ of: 'delivery' }),
  (name) => {
    const fit = profile.value && fedFrom(name, profile.value, work.rehearsal.value)
    return work.columns.value.find((c) => c.name === fit?.column)
  },
)

const cure = (s: Suggestion): Promise<boolean> => work.change(inWords(s), s.steps)
</script>

<template>
  <DeliveryHead
    :id="id"
    :delivery="delivery"
    :drafts="book.drafts.value"
    :changes="work.rules.value?.changes.length"
    @changed="(d) => (delivery = d)"
  />
  <OthersNote v-if="work.rules.value" :work="work" />
  <FailureNote v-if="error" :error="error" :retry="load" class="note" />
  <ElSkeleton v-if="!kept && !error && !delivery?.refusal" :rows="8" animated />

  <section v-if="kept && isBusy" class="sheet busy" aria-label="Progress">
    <p role="status">
      {{ counted(kept.progress.rows, 'row', 'rows') }} read, {{ size(kept.progress.bytes) }} of
      {{ size(kept.progress.totalBytes) }}
    </p>
    <ElProgress
      :percentage="Math.floor((100 * kept.progress.bytes) / Math.max(1, kept.progress.totalBytes))"
      aria-label="Progress of the profile"
    />
    <TroubleNote :trouble="kept.trouble" />
    <ElButton size="small" @click="stop">Stop</ElButton>
  </section>
  <section v-else-if="kept && !profile" class="sheet busy">
    <p>{{ kept.state === 'failed' ? kept.error : 'The profile was stopped.' }}</p>
    <ElButton size="small" type="primary" @click="start(true)">Run it again</ElButton>
    <RouterLink :to="`/deliveries/${id}/reading`">see how it reads</RouterLink>
  </section>

  <template v-if="profile && kept">
    <p v-if="anew" class="note sheet old" role="status">{{ anew }}</p>
    <p v-if="strange" class="note sheet old" role="status">{{ strange }}</p>
    <p v-if="book.drafts.value?.layout" class="note sheet old">
      The layout has changes that are not saved; this profile is of the layout as it is saved.
      <RouterLink :to="`/deliveries/${id}/reading`">See them</RouterLink>
    </p>
    <FailureNote v-if="work.error.value && !work.rules.value" :error="work.error.value" class="note" />
    <FailureNote v-if="noCures" :error="noCures" class="note" />
    <div class="station">
      <section class="sheet columns" aria-label="Overview of the columns">
        <ColumnList :profile="profile" :looked="kept.looked" :chosen="chosen" @choose="choose" @look="look" />
      </section>
      <div>
        <!-- What is mended, and what it comes to, stands above that which it mends. -->
        <!-- How far the search is stands where nothing moves for it. -->
        <DraftStrip :delivery="id" :work="work" class="draft">
          <span v-if="searching" class="soft searching" role="status">· {{ searching }}</span>
        </DraftStrip>
        <div
          v-if="isBeginning && delivery"
          ref="beginning"
          class="note beginning"
          tabindex="-1"
          @keydown.esc="address.swap({ draft: undefined })"
        >
          <BeginRules :delivery="delivery" :begin="begin" />
        </div>
        <section class="sheet main" aria-label="Profile">
          <template v-if="column">
            <button type="button" class="link" @click="show()">← all findings</button>
            <ColumnView
              :column="column"
              :findings="own"
              :mending="mending"
              @filter="showRows"
              @rows="(f) => showRows(f.filters ?? [])"
              @mend="mend"
              @cure="cure"
            />
          </template>
          <template v-else>
            <div class="head">
              <h2>
                {{ counted(profile.rows, 'row', 'rows') }} of
                {{ counted(profile.columns.length, 'column', 'columns') }}
              </h2>
              <span v-if="profile.damaged > 0" class="soft"
                >{{ counted(profile.damaged, 'row is', 'rows are') }} {{ damagedWords }}, and left out of the
                figures</span
              >
              <label class="share">
                <span class="soft">a datatype from</span>
                <ElSelect
                  size="small"
                  class="percent"
                  :model-value="kept.share"
                  aria-label="Share of a column’s values that decides its datatype"
                  @change="(s: number) => start(true, s)"
                >
                  <ElOption v-for="s in shares" :key="s" :value="s" :label="`${Math.round(100 * s)} %`" />
                </ElSelect>
                <span class="soft">of the values</span>
              </label>
              <ElButton
                v-if="!work.rules.value && !isBeginning"
                size="small"
                type="primary"
                :disabled="profile.rows === 0"
                @click="mend"
                >Mend it: choose or draft its rules</ElButton
              >
            </div>
            <p v-if="profile.rows === 0" class="soft">There is nothing to profile: the delivery has no rows.</p>
            <p v-else-if="profile.findings.length === 0" class="soft">Nothing odd was found.</p>
            <FindingList
              :findings="profile.findings"
              :mending="mending"
              @rows="(f) => showRows(f.filters ?? [])"
              @mend="mend"
              @cure="cure"
            />
            <template v-if="rest.length > 0">
              <h3>What else would mend rejected rows</h3>
              <ul class="rest">
                <li v-for="c in rest" :key="c.id">
                  <b>{{ visible(c.header ?? c.column ?? 'rows') }}</b> <CureButton :suggestion="c" @take="cure" />
                </li>
              </ul>
            </template>
            <WhatHolds :profile="profile" />
          </template>
        </section>
        <RowsBehind
          v-if="filters.length > 0"
          :delivery="id"
          :profile="profile"
          :filters="filters"
          :cures="cures"
          @filters="changeRows"
          @failed="(e) => (error = e)"
        />
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

.share {
  display: inline-flex;
  align-items: baseline;
  gap: 6px;
}

.percent {
  width: 82px;
}

h3 {
  font-size: 15px;
  margin: 14px 0 4px;
}

.rest {
  list-style: none;
  margin: 0;
  padding: 0;
}

.rest li {
  display: grid;
  grid-template-columns: minmax(90px, 150px) minmax(0, 1fr);
  gap: 0 12px;
  padding: 2px 10px;
}

.rest b {
  overflow-wrap: anywhere;
}

/* The account stays in sight while one works below it. */
.draft {
  position: sticky;
  top: 0;
  z-index: 5;
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
