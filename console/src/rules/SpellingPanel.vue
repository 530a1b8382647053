<script setup lang="ts">
/** Texts of a column that are likely one, written in different ways: accepted, changed, split or declined. */
import { ElButton, ElCheckbox, ElInput, ElPagination } from 'element-plus'
import { computed, onBeforeUnmount, ref, shallowRef, watch } from 'vue'
import { answered, api, type Spellings, type Step } from '../api/client'
import FailureNote from '../components/FailureNote.vue'
import { count, counted, visible } from '../format'
import { remedyAdded, type ColumnSpec } from './model'

const { delivery, column, state, open } = defineProps<{
  delivery: string
  column: ColumnSpec
  state: number
  open: boolean
}>()
const emit = defineEmits<{ open: [on: boolean]; change: [words: string, steps: Step[]] }>()

const perPage = 15
const found = shallowRef<Spellings>()
const error = ref<unknown>()
const page = ref(1)
/** Spellings that are not taken, and those that were changed, by the spelling that was proposed. */
const declined = ref<Record<string, boolean>>({})
const changed = ref<Record<string, string>>({})
let asking = new AbortController()

const whys: Record<string, string> = {
  case: 'case, blanks or accents',
  words: 'order of words',
  letters: 'a letter or two',
  sound: 'sounds alike',
}

async function load(): Promise<void> {
  asking.abort()
  if (!open) return
  asking = new AbortController()
  const { signal } = asking
  error.value = undefined
  try {
    const s = await answered(
      api.POST('/api/v1/deliveries/{id}/rehearsals/spellings', {
        params: { path: { id: delivery } },
        body: { column: column.name },
        signal,
      }),
    )
    if (signal.aborted) return
    found.value = s
    declined.value = {}
    changed.value = {}
    page.value = 1
  } catch (e) {
    if (!signal.aborted) error.value = e
  }
}

watch(
  () => [delivery, column.name, state, open],
  () => void load(),
  { immediate: true },
)
onBeforeUnmount(() => asking.abort())

const families = computed(() => found.value?.families ?? [])
const shown = computed(() => families.value.slice((page.value - 1) * perPage, page.value * perPage))
const key = (family: string, text: string): string => `${family}\u0000${text}`
const spellingOf = (proposed: string): string => changed.value[proposed] ?? proposed

/** What is taken: for each spelling the one that takes its place. */
const pairs = computed(() => {
  const all: Record<string, string> = {}
  for (const f of families.value) {
    const to = spellingOf(f.spelling)
    for (const o of f.others) if (!declined.value[key(f.spelling, o.text)] && o.text !== to) all[o.text] = to
    // A spelling that was changed is itself recoded.
    if (to !== f.spelling && f.count > 0) all[f.spelling] = to
  }
  return all
})
const taken = computed(() => Object.keys(pairs.value).length)

function take(some: Record<string, string>): void {
  const n = Object.keys(some).length
  if (n === 0) return
  const [from = '', to = ''] = Object.entries(some)[0] ?? []
  const words = n === 1 ? `${column.name}: recode “${from}” to “${to}”` : `${column.name}: recode ${n} spellings`
  emit('change', words, [remedyAdded(column, { recode: some })])
}

function takeFamily(spelling: string): void {
  const f = families.value.find((one) => one.spelling === spelling)
  const texts = new Set([...(f?.others ?? []).map((o) => o.text), spelling])
  take(Object.fromEntries(Object.entries(pairs.value).filter(([from]) => texts.has(from))))
}

function declineAll(on: boolean): void {
  declined.value = on
    ? Object.fromEntries(families.value.flatMap((f) => f.others.map((o) => [key(f.spelling, o.text), true])))
    : {}
}
</script>

<template>
  <section class="sheet" aria-label="Spelling variants">
    <div class="head">
      <h2>Spelling variants</h2>
      <template v-if="!open">
        <span class="soft">texts that are likely the same, written in different ways</span>
        <ElButton size="small" @click="emit('open', true)">Look for them</ElButton>
      </template>
      <template v-else>
        <span class="soft" role="status">{{
          !found && !error
            ? 'comparing all texts of all rows …'
            : found
              ? families.length === 0
                ? `none among ${counted(found.texts, 'text', 'texts')}`
                : `${counted(families.length, 'word', 'words')} among ${counted(found.texts, 'text', 'texts')}${found.more ? ', the first that were met' : ''}`
              : ''
        }}</span>
        <span class="tools">
          <template v-if="families.length > 0">
            <button type="button" class="link" @click="declineAll(taken > 0)">
              {{ taken > 0 ? 'decline all' : 'take all again' }}
            </button>
            <ElButton size="small" type="primary" :disabled="taken === 0" @click="take(pairs)"
              >Recode {{ counted(taken, 'spelling', 'spellings') }}</ElButton
            >
          </template>
          <ElButton size="small" @click="emit('open', false)">Close</ElButton>
        </span>
      </template>
    </div>
    <FailureNote v-if="error" :error="error" :retry="load" />
    <table v-if="open && families.length > 0" class="dense tight">
      <thead>
        <tr>
          <th>spelling</th>
          <th class="number">cells</th>
          <th>also written</th>
          <th><span class="unseen">taken</span></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="f in shown" :key="f.spelling">
          <td>
            <ElInput
              size="small"
              :model-modifiers="{ lazy: true }"
              :model-value="spellingOf(f.spelling)"
              :aria-label="`Spelling for ${f.spelling}`"
              @change="(t: string) => (changed = { ...changed, [f.spelling]: t })"
            />
          </td>
          <td class="number">{{ count(f.count) }}</td>
          <td>
            <ElCheckbox
              v-for="o in f.others"
              :key="o.text"
              :model-value="!declined[key(f.spelling, o.text)]"
              size="small"
              :title="whys[o.why]"
              @change="(on) => (declined = { ...declined, [key(f.spelling, o.text)]: !on })"
              >{{ visible(o.text) }} <span class="soft">{{ count(o.count) }}, {{ whys[o.why] }}</span></ElCheckbox
            >
          </td>
          <td><ElButton size="small" @click="takeFamily(f.spelling)">Recode</ElButton></td>
        </tr>
      </tbody>
    </table>
    <ElPagination
      v-if="open && families.length > perPage"
      v-model:current-page="page"
      size="small"
      layout="prev, pager, next"
      :total="families.length"
      :page-size="perPage"
      class="pages"
    />
  </section>
</template>

<style scoped>
.head {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 4px 12px;
  padding: 8px 12px;
}

.tools {
  display: flex;
  align-items: baseline;
  gap: 10px;
  margin-left: auto;
}

.tools .el-button {
  margin: 0;
}

td:first-child {
  width: 220px;
}

.el-checkbox {
  margin-right: 18px;
  white-space: pre-wrap;
}

.pages {
  padding: 6px 12px;
}
</style>
