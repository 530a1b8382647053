<script setup lang="ts">
/** The targets, mappings or code lists: found, added, copied. */
import { ElButton, ElInput, ElPagination, ElSkeleton, ElSwitch } from 'element-plus'
import { computed, onBeforeUnmount, ref, useTemplateRef, watch } from 'vue'
import { useRouter } from 'vue-router'
import { useAddress } from '../address'
import { addText, type Target } from '../api/client'
import FailureNote from '../components/FailureNote.vue'
import { counted } from '../format'
import { steward } from '../steward'
import AddCodes, { type Source } from '../shelves/AddCodes.vue'
import DrawTarget from '../shelves/DrawTarget.vue'
import MadeTarget from '../shelves/MadeTarget.vue'
import NameDialog from '../shelves/NameDialog.vue'
import { ask, libraryWords, type Library, type Made, type ShelfItem } from '../shelves/names'
import ShelfTable from '../shelves/ShelfTable.vue'

const { library } = defineProps<{ library: Library }>()

const perPage = 50
const router = useRouter()
const address = useAddress()
const words = computed(() => libraryWords[library])
const items = ref<ShelfItem[]>()
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
    const found = await ask<{ items: ShelfItem[]; total: number }>(`${library}?${query.toString()}`)
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
  <FailureNote v-if="error" :error="error" :retry="load" class="apart" />
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
  <ShelfTable v-else-if="items" :library="library" :items="items" @copy="(name) => (copying = name)" />
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
  <MadeTarget
    :made="made"
    @close="made = undefined"
    @added="
      (name) => {
        made = undefined
        void router.push(`/targets/${name}`)
      }
    "
  />
  <DrawTarget
    :open="isDrawing"
    @close="isDrawing = false"
    @made="
      (target) => {
        isDrawing = false
        made = target
      }
    "
  />
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

.empty {
  padding: 14px;
}
</style>
