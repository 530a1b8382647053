<script setup lang="ts">
/** The targets, mappings or code lists: found, added, copied. */
import { ElButton, ElDialog, ElInput, ElPagination, ElSkeleton, ElSwitch } from 'element-plus'
import { computed, onBeforeUnmount, ref, useTemplateRef, watch } from 'vue'
import { useRouter } from 'vue-router'
import { useAddress } from '../address'
import { addText, answered, api, type Target } from '../api/client'
import FailureNote from '../components/FailureNote.vue'
import { count, counted, time } from '../format'
import { steward } from '../steward'
import AddCodes, { type Source } from '../shelves/AddCodes.vue'
import NameDialog from '../shelves/NameDialog.vue'
import TablePicker from '../shelves/TablePicker.vue'
import { ask, libraryWords, type Library } from '../shelves/names'

const { library } = defineProps<{ library: Library }>()
type Item = Target & { for?: string }
interface Made {
  name?: string
  text: string
  mapping?: string
  left: string[]
}

const perPage = 50
const router = useRouter()
const address = useAddress()
const words = computed(() => libraryWords[library])
const items = ref<Item[]>()
const total = ref(0)
const error = ref<unknown>()
const page = computed(() => address.page())
const find = computed(() => address.of('find') ?? '')
const retired = computed(() => address.of('retired') === 'shown')
const typed = ref(find.value)
let typing = 0
let latest = 0

async function load(): Promise<void> {
  const mine = ++latest
  error.value = undefined
  try {
    const query = new URLSearchParams({ offset: String((page.value - 1) * perPage), limit: String(perPage) })
    if (find.value) query.set('find', find.value)
    if (retired.value) query.set('retired', 'true')
    const found = await ask<{ items: Item[]; total: number }>(`${library}?${query.toString()}`)
    if (mine !== latest) return
    items.value = found.items
    total.value = found.total
  } catch (e) {
    if (mine === latest) error.value = e
  }
}
watch(
  () => library,
  () => {
    items.value = undefined
    typed.value = find.value
  },
)
watch(
  () => [library, page.value, find.value, retired.value],
  () => void load(),
  { immediate: true },
)
watch(typed, (text) => {
  window.clearTimeout(typing)
  typing = window.setTimeout(() => address.swap({ find: text.trim() || undefined, page: undefined }), 250)
})
onBeforeUnmount(() => latest++)

// --- Adding.
const input = useTemplateRef<HTMLInputElement>('input')
/** A target that was made of something else, and is not added yet. */
const made = ref<Made>()
const isDrawing = ref(false)
const codesFrom = ref<Source>()
const database = ref('')
const table = ref('')
const isBusy = ref(false)

const stem = (file: string): string =>
  file
    .replace(/\.[^.]*$/, '')
    .normalize('NFKD')
    .replace(/\p{M}/gu, '')
    .replace(/[^\p{L}\p{N}_-]+/gu, '_')
    .replace(/^[-_]+|[-_]+$/g, '') || 'list'

/** Adds what is in a file: a text as it is, or what can be made one. */
async function take(): Promise<void> {
  const file = input.value?.files?.[0]
  if (!file) return
  error.value = undefined
  try {
    if (library === 'codes') {
      const added = await ask<Target>(`codes?name=${encodeURIComponent(stem(file.name))}`, 'POST', file, 'text/csv')
      await router.push(`/codes/${added.name}`)
    } else if (/\.ya?ml$/i.test(file.name)) {
      await addAsItIs(await file.text())
    } else if (/\.json$/i.test(file.name)) {
      const content = await file.text()
      if (content.includes('ns/csvw'))
        made.value = await ask<Made>('targets/from-csvw', 'POST', content, 'application/csvm+json')
      else await addAsItIs(content)
    } else {
      made.value = await ask<Made>(
        `targets/from-dictionary?file=${encodeURIComponent(file.name)}`,
        'POST',
        file,
        'application/octet-stream',
      )
    }
  } catch (e) {
    error.value = e
  }
  if (input.value) input.value.value = ''
}

async function addAsItIs(content: string): Promise<void> {
  const added = await addText(content)
  await router.push(`/${'for' in added ? 'mappings' : 'targets'}/${added.name}`)
}

async function addMade(): Promise<void> {
  if (!made.value) return
  error.value = undefined
  try {
    const added = await addText(made.value.text)
    if (made.value.mapping) await addText(made.value.mapping)
    made.value = undefined
    await router.push(`/targets/${added.name}`)
  } catch (e) {
    error.value = e
  }
}

async function draw(): Promise<void> {
  isBusy.value = true
  error.value = undefined
  try {
    const drawn = await answered(
      api.POST('/api/v1/targets/from-table', { body: { database: database.value, table: table.value } }),
    )
    isDrawing.value = false
    made.value = { name: drawn.name, text: drawn.text, left: [] }
  } catch (e) {
    error.value = e
  }
  isBusy.value = false
}

// --- Copying.
const copying = ref('')
async function copy(to: string): Promise<void> {
  await ask(`${library}/${encodeURIComponent(copying.value)}/copy`, 'POST', {
    name: to,
    by: steward.get() || undefined,
  })
  await router.push(`/${library}/${to}`)
}
const accepts = computed(
  () =>
    ({ targets: '.yaml,.yml,.json,.csv,.xlsx,.ods,.txt', mappings: '.yaml,.yml,.json', codes: '.csv,.txt,.tsv' })[
      library
    ],
)
const means = computed(
  () =>
    ({
      targets: 'what tables demand of their rows',
      mappings: 'how senders write what a target takes',
      codes: 'codes and what they mean, to which columns refer',
    })[library],
)
</script>

<template>
  <div class="top">
    <h1>{{ words.title }}</h1>
    <span class="soft" role="status"
      >{{ means
      }}<template v-if="items"
        >; {{ find ? counted(total, 'is found', 'are found') : counted(total, words.one, words.many) }}</template
      ></span
    >
  </div>
  <div class="tools">
    <ElInput
      v-model="typed"
      class="find"
      clearable
      placeholder="Find by name or title"
      :aria-label="`Find ${words.many}`"
    />
    <label class="flag"
      ><ElSwitch
        size="small"
        :model-value="retired"
        aria-label="Show retired ones"
        @change="(on) => address.go({ retired: on ? 'shown' : undefined, page: undefined })"
      />
      retired ones too</label
    >
    <span class="adds">
      <ElButton @click="input?.click()">Add from a file…</ElButton>
      <ElButton v-if="library === 'targets'" @click="isDrawing = true">From a database table…</ElButton>
      <template v-if="library === 'codes'">
        <ElButton @click="codesFrom = 'hand'">By hand…</ElButton>
        <ElButton @click="codesFrom = 'column'">From a column…</ElButton>
        <ElButton @click="codesFrom = 'table'">From a database table…</ElButton>
      </template>
      <input ref="input" type="file" :accept="accepts" hidden :aria-label="`File of a ${words.one}`" @change="take" />
    </span>
  </div>
  <p v-if="library === 'targets'" class="soft hint">
    A file is a target in YAML or JSON, a data dictionary (CSV or a workbook), or CSVW metadata. Or draft one from a
    delivery at its Rules station.
  </p>
  <FailureNote v-if="error && !made && !isDrawing" :error="error" :retry="load" class="apart" />
  <ElSkeleton v-if="!items && !error" :rows="5" animated />
  <div v-else-if="items && total === 0" class="sheet empty">
    <h2>{{ find ? `No ${words.one} is like this` : `There is no ${words.one} yet` }}</h2>
    <p v-if="library === 'mappings'">
      A mapping is made at the Rules station of a delivery, where one pairs the sender’s columns with a target’s.
    </p>
    <p v-else-if="library === 'targets'">
      Add one from a file or a database table, or draft one from a delivery at its Rules station.
    </p>
    <p v-else>Keep one by hand, or take it from a file, a column of a delivery or a table.</p>
  </div>
  <div v-else-if="items" class="sheet scroll" role="region" :aria-label="words.title" tabindex="0">
    <table>
      <thead>
        <tr>
          <th>{{ words.one }}</th>
          <th v-if="library === 'mappings'">for the target</th>
          <th v-if="library === 'targets'" class="number roomy">columns</th>
          <th class="number">version</th>
          <th>changed</th>
          <th class="number roomy">deliveries</th>
          <th class="unseen">actions</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="t in items" :key="t.name">
          <td>
            <RouterLink :to="`/${library}/${t.name}`"
              ><b>{{ t.name }}</b></RouterLink
            >
            <span class="soft">{{ t.title === t.name ? '' : t.title }}</span><span v-if="t.retired" class="mark"
              >retired</span
            >
          </td>
          <td v-if="library === 'mappings'">
            <RouterLink :to="`/targets/${t.for}`">{{ t.for }}</RouterLink>
          </td>
          <td v-if="library === 'targets'" class="number roomy">{{ t.columns ? count(t.columns) : '' }}</td>
          <td class="number">{{ t.version }}</td>
          <td>
            {{ time(t.addedAt) }}<span v-if="t.addedBy" class="soft"> by {{ t.addedBy }}</span>
          </td>
          <td class="number roomy">{{ t.deliveries ? count(t.deliveries) : '' }}</td>
          <td class="number">
            <button type="button" class="link" :aria-label="`Copy ${t.name}`" @click="copying = t.name">copy</button>
          </td>
        </tr>
      </tbody>
    </table>
  </div>
  <ElPagination
    v-if="total > perPage"
    layout="prev, pager, next"
    :total="total"
    :page-size="perPage"
    :current-page="page"
    @current-change="(p: number) => address.go({ page: p === 1 ? undefined : p })"
  />

  <NameDialog
    :library="library"
    :open="copying !== ''"
    :title="`Copy ${copying}`"
    verb="Copy"
    :begin="copying ? `${copying}_copy` : ''"
    :go="copy"
    @close="copying = ''"
  />
  <AddCodes :source="codesFrom" @close="codesFrom = undefined" @added="(n) => router.push(`/codes/${n}`)" />
  <ElDialog
    :model-value="made !== undefined"
    :title="`The target ${made?.name ?? ''}`"
    width="min(760px, 96vw)"
    @close="made = undefined"
  >
    <p class="soft">It is not added yet. Change what you know better, then add it.</p>
    <ul v-if="made && made.left.length > 0" class="left">
      <li v-for="l in made.left" :key="l">not taken: {{ l }}</li>
    </ul>
    <ElInput
      v-if="made"
      v-model="made.text"
      type="textarea"
      :autosize="{ minRows: 8, maxRows: 24 }"
      spellcheck="false"
      aria-label="Text of the target"
      class="code"
    />
    <FailureNote v-if="error" :error="error" />
    <template #footer
      ><ElButton @click="made = undefined">Discard</ElButton
      ><ElButton type="primary" @click="addMade">Add the target</ElButton></template
    >
  </ElDialog>
  <ElDialog
    :model-value="isDrawing"
    title="A target from a database table"
    width="min(760px, 96vw)"
    @close="isDrawing = false"
  >
    <TablePicker
      :chosen="table"
      @choose="
        (d, t) => {
          database = d
          table = `${t.schema}.${t.name}`
        }
      "
    />
    <FailureNote v-if="error" :error="error" />
    <template #footer
      ><ElButton type="primary" :disabled="!table" :loading="isBusy" @click="draw"
        >Draw the target{{ table ? ` from ${table}` : '' }}</ElButton
      ></template
    >
  </ElDialog>
</template>

<style scoped>
.tools {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px 14px;
  margin: 12px 0 6px;
}

.find {
  width: 280px;
}

.adds {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  margin-left: auto;
}

.adds .el-button {
  margin: 0;
}

.flag {
  display: flex;
  gap: 6px;
  align-items: center;
}

.hint {
  margin: 0 0 10px;
}

.apart {
  margin-bottom: 12px;
}

.scroll {
  overflow-x: auto;
}

table {
  width: 100%;
  border-collapse: collapse;
}

th,
td {
  padding: 6px 12px;
  border-top: 1px solid var(--line);
  text-align: left;
  vertical-align: baseline;
}

th {
  border-top: 0;
  background: var(--husk-wash);
  white-space: nowrap;
}

th.number,
td.number {
  text-align: right;
}

/* On a narrow page the name and what was changed last count most. */
@media (max-width: 560px) {
  th,
  td {
    padding: 6px;
  }

  .roomy {
    display: none;
  }

  td:first-child {
    overflow-wrap: anywhere;
  }
}

.mark {
  margin-left: 8px;
  padding: 0 6px;
  border: 1px solid var(--line);
  border-radius: 8px;
  font-size: 12px;
}

.empty {
  padding: 14px;
}

.left {
  max-height: 140px;
  overflow-y: auto;
  padding-left: 20px;
}

.code :deep(textarea) {
  font-family: 'DejaVu Sans Mono', Consolas, monospace;
  font-size: 12.5px;
}
</style>
