<script setup lang="ts">
/** One target, mapping or code list: its columns or codes, its versions, and the deliveries that used it. */
import { ElButton, ElSkeleton } from 'element-plus'
import { computed, onBeforeUnmount, ref, shallowRef, watch } from 'vue'
import { useRouter } from 'vue-router'
import { useAddress } from '../address'
import type { Target, TextUse, TextView } from '../api/client'
import FailureNote from '../components/FailureNote.vue'
import { time } from '../format'
import { steward } from '../steward'
import { objectOf } from '../rules/model'
import CodeTable from '../shelves/CodeTable.vue'
import NameDialog from '../shelves/NameDialog.vue'
import { ask, libraryWords, type Library, type ShelfItem } from '../shelves/names'
import { useTextDraft } from '../shelves/textdraft'
import TextColumns from '../shelves/TextColumns.vue'
import TextEditor from '../shelves/TextEditor.vue'
import UseList from '../shelves/UseList.vue'
import VersionList from '../shelves/VersionList.vue'

const { library, name } = defineProps<{ library: Library; name: string }>()

const router = useRouter()
const address = useAddress()
const words = computed(() => libraryWords[library])
const text = ref<ShelfItem>()
const parsed = shallowRef<TextView>()
const last = ref<TextUse>()
const error = ref<unknown>()
const said = ref('')
const dialog = ref<'' | 'copy' | 'rename'>('')
let latest = 0

const views = computed(() => [
  { key: '', label: library === 'codes' ? 'Codes' : 'Columns' },
  { key: 'versions', label: 'Versions' },
  { key: 'uses', label: 'Deliveries' },
  { key: 'text', label: 'As text' },
])
const view = computed(() => views.value.find((v) => v.key === address.of('view'))?.key ?? '')
const path = computed(() => `${library}/${encodeURIComponent(name)}`)
const draft = useTextDraft(
  () => path.value,
  (e) => (error.value = e),
)
/** The version that is shown: the newest unless the address names another. */
const shown = computed(() => Number(address.of('version')) || 0)
const dialects = [
  { name: 'standard', label: 'SQL' },
  { name: 'postgresql', label: 'PostgreSQL' },
  { name: 'mariadb', label: 'MariaDB' },
  { name: 'sqlite', label: 'SQLite' },
]

async function load(): Promise<void> {
  const mine = ++latest
  error.value = undefined
  try {
    const found = await ask<ShelfItem>(shown.value > 0 ? `${path.value}/versions/${shown.value}` : path.value)
    const seen = library === 'codes' ? undefined : await ask<TextView>(`${path.value}/view?version=${shown.value}`)
    const uses = await ask<{ items: TextUse[] }>(`${path.value}/uses?limit=1`)
    await draft.load()
    await look()
    if (mine !== latest) return
    text.value = found
    parsed.value = seen
    last.value = uses.items[0]
    document.title = `${found.name} · ${words.value.title} · Sieb`
  } catch (e) {
    if (mine === latest) error.value = e
  }
}
watch(
  () => [library, name, shown.value],
  () => {
    text.value = undefined
    said.value = ''
    void load()
  },
  { immediate: true },
)
onBeforeUnmount(() => {
  latest++
  void draft.settled()
})

// --- Changing the text. What is typed is kept on the service until it is saved as a version.
const typed = draft.text
/** A version that was saved after the text began, which saving would take the place of. */
const newer = ref<Target>()

async function look(): Promise<void> {
  const newest = draft.version.value > 0 ? await ask<Target>(path.value) : undefined
  newer.value = newest && newest.version > draft.version.value ? newest : undefined
}

async function discard(): Promise<void> {
  try {
    await draft.drop()
    newer.value = undefined
  } catch (e) {
    error.value = e
  }
}

async function save(): Promise<void> {
  error.value = undefined
  try {
    if (!(await draft.settled())) return
    const known = newer.value?.version
    await look()
    if (newer.value && newer.value.version !== known) return // it is told, and saved over when that is asked for
    const by = `newest=true&by=${encodeURIComponent(steward.get())}`
    const added =
      library === 'codes'
        ? await ask<Target>(
            `codes?name=${encodeURIComponent(name)}&title=${encodeURIComponent(text.value?.title ?? '')}&${by}`,
            'POST',
            typed.value ?? text.value?.text ?? '',
            'text/csv',
          )
        : await ask<Target>(`${library}?${by}`, 'POST', typed.value ?? text.value?.text ?? '', 'application/yaml')
    await discard()
    if (added.name !== name) await router.push(`/${library}/${added.name}`)
    else await load()
    said.value = `Saved: version ${added.version}.`
  } catch (e) {
    error.value = e
  }
}

/** Goes on with what others made of the text. */
async function theirs(): Promise<void> {
  draft.settle(false)
  if (typed.value === undefined) {
    const mine = draft.aside.value
    await load()
    draft.aside.value = mine
  }
}

async function under(to: string): Promise<void> {
  await ask(`${path.value}/${dialog.value}`, 'POST', { name: to, by: steward.get() || undefined })
  await router.push(`/${library}/${to}`)
}

async function retire(on: boolean): Promise<void> {
  try {
    await ask(`${path.value}/retired`, 'PUT', { retired: on })
    await load()
    said.value = on ? 'Retired: lists leave it out, and it can be used as before.' : 'It is back in lists.'
  } catch (e) {
    error.value = e
  }
}
</script>

<template>
  <p class="back">
    <RouterLink :to="`/${library}`">← All {{ words.many }}</RouterLink>
  </p>
  <div class="top">
    <h1>{{ name }}</h1>
    <template v-if="text">
      <span class="soft"
        >version {{ text.version }}, {{ time(text.addedAt)
        }}<template v-if="text.addedBy"> by {{ text.addedBy }}</template></span
      >
      <span v-if="text.retired" class="mark">retired</span>
      <button v-if="shown > 0" type="button" class="link" @click="address.go({ version: undefined })">
        to the newest version
      </button>
    </template>
  </div>
  <p v-if="text" class="soft facts">
    {{ text.title === name ? '' : text.title
    }}<template v-if="text.for">
      · for the target <RouterLink :to="`/targets/${text.for}`">{{ text.for }}</RouterLink></template
    >
  </p>
  <div v-if="text" class="tools">
    <template v-if="library === 'targets'">
      <a :href="`/api/v1/${path}/template`" download>Workbook for senders</a>
      <a :href="`/api/v1/${path}/page`" download>Page to print</a>
      <span class="soft"
        >create table:
        <template v-for="(d, i) in dialects" :key="d.name"
          ><template v-if="i > 0">, </template
          ><a :href="`/api/v1/${path}/sql?dialect=${d.name}`" download>{{ d.label }}</a></template
        ></span
      >
      <a :href="`/api/v1/${path}/csvw`" download>CSVW metadata</a>
    </template>
    <RouterLink v-if="library !== 'codes' && last" :to="`/deliveries/${last.delivery}/rules`"
      >Work on it with {{ last.name }}</RouterLink
    >
    <span class="last">
      <ElButton size="small" @click="dialog = 'rename'">Rename…</ElButton>
      <ElButton size="small" @click="dialog = 'copy'">Copy…</ElButton>
      <ElButton size="small" @click="retire(!text.retired)">{{
        text.retired ? 'Put back into lists' : 'Retire'
      }}</ElButton>
    </span>
  </div>
  <p v-if="said" class="said" role="status">{{ said }}</p>
  <FailureNote v-if="error" :error="error" :retry="load" class="apart" />
  <ElSkeleton v-if="!text && !error" :rows="5" animated />
  <template v-if="text">
    <nav class="views" :aria-label="`Parts of the ${words.one}`">
      <button
        v-for="v in views"
        :key="v.key"
        type="button"
        :aria-current="v.key === view"
        @click="address.go({ view: v.key || undefined, page: undefined, from: undefined, to: undefined })"
      >
        {{ v.label }}<span v-if="v.key === 'text' && typed !== undefined" class="mark">not saved</span>
      </button>
    </nav>
    <section class="sheet">
      <CodeTable v-if="view === '' && library === 'codes'" :text="text.text ?? ''" />
      <TextColumns
        v-else-if="view === '' && library !== 'codes' && parsed"
        :library="library"
        :view="objectOf(parsed.view)"
        :words="parsed.words"
      />
      <VersionList v-else-if="view === 'versions'" :path="path" :newest="text.version" />
      <UseList v-else-if="view === 'uses'" :path="path" />
      <TextEditor
        v-else-if="view === 'text'"
        :saved="text"
        :draft="draft"
        :newer="newer"
        :label="`Text of the ${words.one}`"
        @save="save"
        @discard="discard"
        @theirs="theirs"
      />
    </section>
  </template>
  <NameDialog
    :library="library"
    :open="dialog !== ''"
    :title="dialog === 'copy' ? `Copy ${name}` : `Rename ${name}`"
    :note="
      dialog === 'rename'
        ? 'A copy takes its place, and whatever names it follows. The old name is retired; runs that were made by it go on to name it.'
        : ''
    "
    :verb="dialog === 'copy' ? 'Copy' : 'Rename'"
    :begin="dialog === 'copy' ? `${name}_copy` : name"
    :go="under"
    @close="dialog = ''"
  />
</template>

<style scoped>
.facts {
  margin: 4px 0 8px;
}

.tools {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 6px 16px;
  margin: 0 0 12px;
}

.last {
  display: flex;
  gap: 6px;
  margin-left: auto;
}

.last .el-button {
  margin: 0;
}

.mark {
  margin-left: 6px;
  padding: 0 6px;
  border: 1px solid var(--grain);
  border-radius: 8px;
  font-size: 12px;
  color: var(--grain);
}

.said {
  margin: 0 0 10px;
  padding: 6px 12px;
  border-left: 3px solid var(--grain);
  background: var(--grain-wash);
}

.apart {
  margin-bottom: 12px;
}

.views {
  display: flex;
  flex-wrap: wrap;
  gap: 2px;
}

.views button {
  white-space: nowrap;
  padding: 6px 14px;
  border: 1px solid transparent;
  border-bottom: 0;
  border-radius: 4px 4px 0 0;
  background: none;
  color: inherit;
  font: inherit;
  cursor: pointer;
}

.views button[aria-current='true'] {
  background: var(--sheet);
  border-color: var(--line);
  box-shadow: inset 0 3px 0 var(--grain);
  font-weight: 600;
}
</style>
