<script setup lang="ts">
/** The Rules station: a column's pairing, rule and remedies are one thing, and every change is tried at once. */
import { ElButton, ElSkeleton } from 'element-plus'
import { computed, onMounted, ref, shallowRef, watch } from 'vue'
import { useRouter } from 'vue-router'
import { useAddress } from '../address'
import { answered, api, type RemedyHelp, type Rules, type Step } from '../api/client'
import DeliveryHead from '../components/DeliveryHead.vue'
import FailureNote from '../components/FailureNote.vue'
import { useDrafts } from '../drafts'
import BeginRules from '../rules/BeginRules.vue'
import ColumnPanel from '../rules/ColumnPanel.vue'
import ColumnRail from '../rules/ColumnRail.vue'
import { lastOf, useRules } from '../rules/draft'
import ManyColumns from '../rules/ManyColumns.vue'
import OthersNote from '../rules/OthersNote.vue'
import OverRows from '../rules/OverRows.vue'
import { usePairing } from '../rules/pairing'
import { partNames, partsOf, type PartName } from '../rules/parts'
import RowTable from '../rules/RowTable.vue'
import RulesName from '../rules/RulesName.vue'
import { useSamples } from '../rules/samples'
import SaveRules from '../rules/SaveRules.vue'
import SuggestionPanel from '../rules/SuggestionPanel.vue'
import TallyStrip from '../rules/TallyStrip.vue'
import TextView from '../rules/TextView.vue'
import UndoButtons from '../rules/UndoButtons.vue'
import { useStation } from '../station'

const { id } = defineProps<{ id: string }>()
const address = useAddress()
const router = useRouter()
const book = useDrafts(() => id)
const work = useRules(() => id)
const { rules, columns, rehearsal, isOld, state, error, since } = work
const samples = useSamples(
  () => id,
  () => rehearsal.value !== undefined,
)
const isLoaded = ref(false)
const isSaving = ref(false)
const said = ref('')
const help = shallowRef<RemedyHelp[]>([])
const picked = ref<string[]>([])

const part = computed<PartName | undefined>(() => partNames.find((p) => p === address.of('over')))
const isText = computed(() => address.of('view') === 'text')
const column = computed(() =>
  part.value || isText.value
    ? undefined
    : (columns.value.find((c) => c.name === address.of('column')) ??
      (address.of('column') === undefined
        ? (columns.value.find((c) => c.name === held.value) ?? worst.value)
        : undefined)),
)
/** The column with which one has begun; it stays at hand when it is mended. */
const held = ref('')
/** The column with which one begins: that in which most rows are wrong. */
const worst = computed(() => {
  const wrong = new Map((rehearsal.value?.columns ?? []).map((c) => [c.column, c.wrong]))
  return [...columns.value].sort((a, b) => (wrong.get(b.name) ?? 0) - (wrong.get(a.name) ?? 0))[0]
})
const strange = computed(() => {
  const asked = address.of('column')
  return asked !== undefined && rules.value && !columns.value.some((c) => c.name === asked)
    ? `The target has no column “${asked}”.`
    : ''
})
const fit = computed(() => rehearsal.value?.columns.find((c) => c.column === column.value?.name))
const parts = computed(() => (rules.value ? partsOf(rules.value, rehearsal.value) : []))
const changes = computed(() => rules.value?.changes.length ?? 0)
const isWhole = computed(() => rehearsal.value?.whole === true && !isOld.value)
const isChanged = computed(() => Boolean(rules.value?.target.changed || rules.value?.mapping?.changed))
const rowKind = computed(
  () => address.of('rows') ?? (column.value && (fit.value?.wrong ?? 0) > 0 ? 'column' : 'rejected'),
)

const {
  delivery,
  error: failure,
  load,
} = useStation(
  () => id,
  'Rules',
  async (found) => {
    void book.load()
    const has = await work.load()
    const last = lastOf(found)
    // By what the delivery was sifted last, it is worked on.
    if (!has && !work.error.value && last) await work.begin(last)
    isLoaded.value = true
  },
  () => {
    held.value = ''
    isLoaded.value = false
  },
)

onMounted(async () => {
  try {
    help.value = (await answered(api.GET('/api/v1/remedies'))).items
  } catch {
    help.value = [] // the form is of use without it
  }
})

watch(
  () => rehearsal.value && !isOld.value && column.value?.name,
  (name) => {
    if (name) held.value = name
  },
)
// What was refused of one column is of no concern at another.
watch(
  () => [column.value?.name, part.value, isText.value],
  (_, before) => {
    if (before[0] !== undefined || before[1] !== undefined) error.value = undefined
  },
)

async function change(words: string, steps: Step[]): Promise<boolean> {
  said.value = ''
  const done = await work.change(words, steps)
  if (done) said.value = `Done: ${words}.`
  return done
}
const pairing = usePairing(() => id, work, change)

async function addColumn(header: string): Promise<void> {
  const name = await pairing.add(header)
  if (name) choose(name)
}

/** What the address says of the column, or of the part, that one looks at. */
const nothing = Object.fromEntries(
  ['column', 'over', 'view', 'rows', 'value', 'empty', 'page', 'find'].map((name) => [name, undefined]),
)
const choose = (name: string): void => address.go({ ...nothing, column: name })
const showPart = (name: string): void => address.go({ ...nothing, over: name })

function saved(r: Rules, sift: boolean): void {
  isSaving.value = false
  said.value = `Saved: target ${r.target.name}, version ${r.target.version}${r.mapping ? `, mapping ${r.mapping.name}, version ${r.mapping.version}` : ''}.`
  if (sift) void start(r)
}

async function start(r: Rules): Promise<void> {
  try {
    const run = await answered(
      api.POST('/api/v1/runs', {
        body: {
          delivery: id,
          // What was rehearsed is what runs, whatever was saved meanwhile.
          target: r.target.name,
          targetVersion: r.target.version,
          mapping: r.mapping?.name,
          mappingVersion: r.mapping?.version,
        },
      }),
    )
    await router.push(`/deliveries/${id}?run=${run.id}`)
  } catch (e) {
    error.value = e
  }
}

/** Throws the changes away, and goes on with the newest versions. */
async function discard(): Promise<void> {
  const r = rules.value
  if (!r) return
  isSaving.value = false
  await work.begin({ target: r.target.name, mapping: r.mapping?.name })
}

async function beginAnew(): Promise<void> {
  try {
    await work.drop()
    address.go({ ...nothing, suggest: undefined })
  } catch (e) {
    error.value = e
  }
}

const isSuggesting = computed(() => address.of('suggest') === 'open' && rules.value !== undefined)

const pickedColumns = computed(() => columns.value.filter((c) => picked.value.includes(c.name)))
</script>

<template>
  <DeliveryHead
    :id="id"
    :delivery="delivery"
    :drafts="book.drafts.value"
    :changes="rules ? changes : undefined"
    @changed="(d) => (delivery = d)"
  />
  <FailureNote v-if="failure" :error="failure" :retry="load" class="part" />
  <ElSkeleton v-if="!isLoaded && !failure && !delivery?.refusal" :rows="6" animated />
  <template v-if="delivery && !delivery.refusal && isLoaded">
    <FailureNote v-if="error" :error="error" class="part" />
    <BeginRules v-if="!rules" :delivery="delivery" :begin="work.begin" />
    <template v-else>
      <p class="by">
        <RulesName :rules="rules" />
        <span class="links">
          <button type="button" class="link" @click="address.go({ view: isText ? undefined : 'text' })">
            {{ isText ? 'as a form' : 'as text' }}
          </button>
          <button type="button" class="link" @click="beginAnew">
            {{ changes > 0 ? 'throw the draft away' : 'another target or mapping' }}
          </button>
        </span>
      </p>
      <TallyStrip
        class="sheet strip"
        :rehearsal="rehearsal"
        :old="isOld"
        :changed="changes"
        :since="since"
        @shifted="address.go({ rows: 'changed', value: undefined })"
      >
        <UndoButtons :work="work" />
        <ElButton size="small" @click="address.go({ suggest: 'open' })">Suggestions</ElButton>
        <ElButton size="small" @click="router.push(`/deliveries/${id}/result?of=draft`)">Its rows</ElButton>
        <ElButton v-if="isChanged" size="small" type="primary" @click="isSaving = true">Save…</ElButton>
        <ElButton v-else size="small" type="primary" @click="start(rules)">Sift</ElButton>
      </TallyStrip>
      <OthersNote :work="work" />
      <p v-if="rehearsal?.unreferred" class="said">
        Not asked, since it is not there yet: {{ rehearsal.unreferred.join(', ') }}. Sift a delivery of it first.
      </p>
      <p class="unseen" role="status">{{ said }}</p>
      <p v-if="strange" class="said" role="status">{{ strange }}</p>
      <TextView v-if="isText" :rules="rules" :change="change" />
      <div v-else class="station">
        <ColumnRail
          :columns="columns"
          :rehearsal="rehearsal"
          :chosen="column?.name"
          :parts="parts"
          :part="part"
          :pairs="pairing.best.value"
          :left-out="pairing.leftOut.value"
          :picked="picked"
          :samples="samples"
          @choose="choose"
          @part="showPart"
          @pair="pairing.take"
          @feed="pairing.feed"
          @leave="pairing.leave"
          @pick="(p) => (picked = p)"
          @add="addColumn"
        />
        <div class="middle">
          <p v-if="pairing.inOrder.value.length > 0" class="said order">
            The file has no header. It has as many columns as the target takes:
            <ElButton size="small" type="primary" @click="change('the columns in this order', pairing.inOrder.value)"
              >Take them in this order</ElButton
            >
          </p>
          <ManyColumns
            v-if="picked.length > 0"
            :columns="pickedColumns"
            :help="help"
            @change="change"
            @done="picked = []"
          />
          <ColumnPanel
            v-else-if="column"
            :delivery="id"
            :column="column"
            :work="work"
            :help="help"
            :samples="samples"
            @change="change"
            @feed="(header) => pairing.feed(column!.name, header)"
          />
          <OverRows
            v-else-if="part"
            :delivery="id"
            :rules="rules"
            :rehearsal="rehearsal"
            :columns="columns"
            :part="part"
            :state="state"
            @change="change"
            @rows="(r) => address.go({ rows: 'column', value: undefined, rule: r })"
          />
          <p v-else-if="columns.length === 0" class="soft">The target has no columns.</p>
          <RowTable
            :delivery="id"
            :state="state"
            :whole="isWhole"
            :column="column?.name ?? (part ? address.of('rule') : undefined)"
            :header="fit?.header"
            :kind="rowKind"
            :value="address.of('empty') ? '' : address.of('value')"
            @kind="(k) => address.go({ rows: k, value: undefined, empty: undefined })"
            @forget="address.go({ value: undefined, empty: undefined })"
          />
        </div>
      </div>
      <SuggestionPanel
        :delivery="id"
        :open="isSuggesting"
        :state="state"
        @close="address.go({ suggest: undefined })"
        @change="change"
      />
      <SaveRules
        :rules="rules"
        :open="isSaving"
        :save="work.save"
        :rebase="work.rebase"
        :trouble="error"
        @close="isSaving = false"
        @saved="saved"
        @drop="discard"
      />
    </template>
  </template>
</template>

<style scoped>
.part {
  padding: 14px;
  margin-bottom: 14px;
}

.by {
  margin: 0 0 8px;
}

.links {
  display: inline-flex;
  gap: 14px;
  margin-left: 14px;
}

.said {
  margin: 8px 0;
  padding: 6px 12px;
  border-left: 3px solid var(--grain);
  background: var(--grain-wash);
}

/* The account stays in sight while one works below it. */
.strip {
  position: sticky;
  top: 0;
  z-index: 5;
}

.station {
  display: grid;
  grid-template-columns: 340px minmax(0, 1fr);
  gap: 10px;
  margin-top: 10px;
  align-items: start;
}

.station > :first-child {
  position: sticky;
  top: 72px;
  max-height: calc(100vh - 82px);
}

.middle {
  display: grid;
  gap: 10px;
  min-width: 0;
}

.middle > * {
  min-width: 0;
}

@media (max-width: 900px) {
  .station {
    grid-template-columns: minmax(0, 1fr);
  }

  .station > :first-child {
    position: static;
    max-height: 46vh;
  }
}
</style>
