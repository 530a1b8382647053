<script setup lang="ts">
/** Where a delivery has no draft of rules: by which target it is worked on, and how its sender writes. */
import { ElButton, ElDialog, ElOption, ElSelect } from 'element-plus'
import { computed, nextTick, onMounted, ref, useTemplateRef, watch } from 'vue'
import {
  addText,
  answered,
  api,
  isMapping,
  type Delivery,
  type Mapping,
  type Matched,
  type Target,
} from '../api/client'
import { counted, time } from '../format'
import FailureNote from '../components/FailureNote.vue'
import TablePicker from '../shelves/TablePicker.vue'
import { lastOf, type NewRules } from './draft'

const { delivery, begin } = defineProps<{ delivery: Delivery; begin: (body: NewRules) => Promise<void> }>()

/** Stand for a mapping that is to be drafted, and for none. */
const drafted = '\u0000drafted'
const none = '\u0000none'

const targets = ref<Target[]>()
const mappings = ref<Mapping[]>([])
const target = ref('')
const mapping = ref(drafted)
const isBeginning = ref(false)
const isDrawing = ref(false)
/** The table that the target is drawn from. */
const table = ref<{ database: string; table: string }>()
const input = useTemplateRef<HTMLInputElement>('input')
const error = ref<unknown>()

/** Rules whose columns the file's header has, the best first. */
const matches = ref<Matched[]>([])
const mostMatches = 4
const best = computed(() => matches.value[0])
const ruleName = (m: Matched): string =>
  m.mapping ? `${m.mappingTitle || m.mapping}, to ${m.targetTitle || m.target}` : m.targetTitle || m.target
function fitWords(m: Matched): string {
  const parts = [`${m.fed} of ${counted(m.columns, 'column', 'columns')} come in`]
  if (m.wanting.length > 0) parts.push(`wanting: ${m.wanting.slice(0, 5).join(', ')}`)
  if (m.unknown.length > 0) parts.push(`new: ${m.unknown.slice(0, 5).join(', ')}`)
  return parts.join('; ')
}

const fitting = computed(() => mappings.value.filter((m) => m.for === target.value))

async function load(): Promise<void> {
  error.value = undefined
  try {
    const query = { params: { query: { limit: 1000 } } }
    const [m, t, found] = await Promise.all([
      answered(api.GET('/api/v1/mappings', query)),
      answered(api.GET('/api/v1/targets', query)),
      answered(api.GET('/api/v1/deliveries/{id}/matches', { params: { path: { id: delivery.id } } })),
    ])
    mappings.value = m.items
    targets.value = t.items
    // Those by which a delivery was sifted before, and those that get all that they take.
    matches.value = found.items.filter((x) => x.last || x.fed === x.columns)
    const last = lastOf(delivery)
    const likely = last ?? best.value
    target.value = likely?.target ?? (targets.value.length === 1 ? targets.value[0]!.name : '')
    // A new sender only where the header fits no rules that are known.
    await nextTick()
    if (likely) mapping.value = likely.mapping ?? none
  } catch (e) {
    error.value = e
  }
}

watch(target, (name) => {
  const known = matches.value.find((m) => m.target === name)
  if (known) {
    mapping.value = known.mapping ?? none
    return
  }
  if (mapping.value !== drafted && mapping.value !== none && !fitting.value.some((m) => m.name === mapping.value))
    mapping.value = drafted
})
onMounted(() => void load())

async function go(body: NewRules): Promise<void> {
  isBeginning.value = true
  await begin(body)
  isBeginning.value = false
}

/** Begins with the target of a file. A mapping is added, and chosen. */
async function take(): Promise<void> {
  const file = input.value?.files?.[0]
  if (!file) return
  error.value = undefined
  try {
    const text = await file.text()
    if (isMapping(text)) {
      const added = (await addText(text)) as Mapping
      await load()
      target.value = added.for
      await nextTick()
      mapping.value = added.name
    } else {
      await go({ text })
    }
  } catch (e) {
    error.value = e
  }
  if (input.value) input.value.value = ''
}

/** Begins with a target drawn from a table, and with how the sender of this file writes. */
async function draw(): Promise<void> {
  if (!table.value) return
  error.value = undefined
  isBeginning.value = true
  try {
    const { text } = await answered(api.POST('/api/v1/targets/from-table', { body: table.value }))
    isDrawing.value = false
    await begin({ text, draftMapping: true })
  } catch (e) {
    error.value = e
  }
  isBeginning.value = false
}

const start = (): Promise<void> =>
  go({
    target: target.value,
    mapping: mapping.value === drafted || mapping.value === none ? undefined : mapping.value,
    draftMapping: mapping.value === drafted || undefined,
  })
</script>

<template>
  <section class="sheet begin" aria-label="Begin with rules">
    <h2>Which table are these rows meant for?</h2>
    <FailureNote v-if="error" :error="error" :retry="load" />
    <section v-if="best" class="likely" aria-label="Rules that fit">
      <template v-for="(m, i) in matches.slice(0, mostMatches)" :key="m.target + ' ' + m.mapping">
        <p>
          <b v-if="m.last">as in {{ m.last.name }}</b
          ><template v-if="m.last"> ({{ time(m.last.at) }}): </template>{{ ruleName(m) }}
          <span class="soft">{{ fitWords(m) }}</span>
        </p>
        <ElButton
          size="small"
          :type="i === 0 ? 'primary' : 'default'"
          :loading="isBeginning"
          @click="go({ target: m.target, mapping: m.mapping })"
          >Work by {{ m.last ? 'these' : m.mapping || m.target }}</ElButton
        >
      </template>
    </section>
    <template v-if="targets && targets.length > 0">
      <p v-if="best" class="soft">Or choose:</p>
      <p>The target says what the table demands, the mapping how this sender writes.</p>
      <div class="choices">
        <label for="begin-target">Target</label>
        <ElSelect id="begin-target" v-model="target" filterable placeholder="Choose the table" aria-label="Target">
          <ElOption
            v-for="t in targets"
            :key="t.name"
            :value="t.name"
            :label="t.title ? `${t.name}: ${t.title}` : t.name"
          />
        </ElSelect>
        <template v-if="target">
          <label for="begin-mapping">Mapping</label>
          <ElSelect id="begin-mapping" v-model="mapping" filterable aria-label="Mapping">
            <ElOption :value="drafted" label="A new sender: draft how it writes from this file" />
            <ElOption
              v-for="m in fitting"
              :key="m.name"
              :value="m.name"
              :label="m.title ? `${m.name}: ${m.title}` : m.name"
            />
            <ElOption :value="none" label="None: the sender writes as the target says" />
          </ElSelect>
        </template>
      </div>
      <p>
        <ElButton :type="best ? 'default' : 'primary'" :disabled="!target" :loading="isBeginning" @click="start"
          >Work on its rules</ElButton
        >
      </p>
      <p class="soft">Or, where no target fits:</p>
    </template>
    <p v-else-if="targets">
      No target is known yet. Sieb reads all rows and drafts one from what they hold: names, datatypes, formats, what
      is required; you change what you know better.
    </p>
    <p v-if="targets || error" class="ways">
      <ElButton :type="targets?.length ? 'default' : 'primary'" :loading="isBeginning" @click="go({})"
        >Draft a target from this file</ElButton
      >
      <ElButton :disabled="isBeginning" @click="isDrawing = true">From a database table…</ElButton>
      <ElButton :disabled="isBeginning" @click="input?.click()">From a file of a target or mapping…</ElButton>
      <RouterLink to="/targets">other ways: a data dictionary, CSVW</RouterLink>
      <input
        ref="input"
        type="file"
        accept=".yaml,.yml,.json"
        hidden
        aria-label="File of a target or mapping"
        @change="take"
      />
    </p>
    <ElDialog
      :model-value="isDrawing"
      title="A target from a database table"
      width="min(760px, 96vw)"
      @close="isDrawing = false"
    >
      <TablePicker
        :chosen="table?.table"
        @choose="(d, t) => (table = { database: d, table: `${t.schema}.${t.name}` })"
      />
      <FailureNote v-if="error" :error="error" />
      <template #footer
        ><ElButton type="primary" :disabled="!table" :loading="isBeginning" @click="draw"
          >Draw the target{{ table ? ` from ${table.table}` : '' }}</ElButton
        ></template
      >
    </ElDialog>
  </section>
</template>

<style scoped>
.begin {
  padding: 14px;
}

.likely {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 4px 12px;
  align-items: center;
  margin: 8px 0 12px;
}

.likely p {
  margin: 0;
  overflow-wrap: anywhere;
}

.choices {
  display: grid;
  grid-template-columns: 90px minmax(0, 460px);
  gap: 8px;
  align-items: center;
}

label {
  font-weight: 600;
}

.ways {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px;
}

.ways .el-button {
  margin: 0;
}

@media (max-width: 640px) {
  .choices {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
