<script setup lang="ts">
import { Document, Download } from '@element-plus/icons-vue'
import { ElButton, ElDialog, ElIcon, ElInput, ElOption, ElRadio, ElRadioGroup, ElSelect } from 'element-plus'
import { computed, reactive, ref, watch } from 'vue'
import { answered, api, ServiceError, type OutputForm, type Run } from '../api/client'
import { counted } from '../format'
import FailureNote from '../components/FailureNote.vue'

/** What a run has written, and its accepted rows in any form. */
const { run } = defineProps<{ run: Run }>()

/** How downloads are made; kept for the next time. */
const ways = [
  { value: '', label: 'as they are: UTF-8, commas' },
  { value: 'spreadsheet', label: 'for spreadsheets: with a byte order mark' },
  { value: 'spreadsheet-semicolon', label: 'for spreadsheets: byte order mark and semicolons' },
]
const way = ref(ways.find((w) => w.value === localStorage.getItem('sieb.downloads'))?.value ?? '')
watch(way, (is) => localStorage.setItem('sieb.downloads', is))

const usual = [
  { name: 'accepted', file: 'accepted.csv', words: 'Accepted rows' },
  { name: 'rejected', file: 'rejected.csv', words: 'Rejected rows' },
  { name: 'excluded', file: 'excluded.csv', words: 'Excluded rows' },
  { name: 'violations', file: 'violations.csv', words: 'Violations' },
  { name: 'manifest', file: 'manifest.json', words: 'Manifest' },
]

const outputs = computed(() => {
  const known = usual.filter((o) => o.name !== 'excluded' || run.tally?.excluded)
  const others = Object.keys(run.outputs ?? {}).filter((name) => !usual.some((o) => o.name === name))
  return [
    ...known.slice(0, 1),
    ...others.map((name) => ({ name, file: name, words: 'Accepted rows' })),
    ...known.slice(1),
  ].map((o) => {
    const link = run.outputs?.[o.name]
    return { ...o, link: link && way.value && o.file.endsWith('.csv') ? `${link}?for=${way.value}` : link }
  })
})

const isOpen = ref(false)
const forms = ref<OutputForm[]>([])
const error = ref<unknown>()
const isBusy = ref(false)
const wanted = reactive({
  form: 'parquet',
  header: 'names' as 'names' | 'titles' | 'none',
  codes: 'code' as 'code' | 'label' | 'both',
  delimiter: ';',
  encoding: 'utf-8',
  quoting: 'needed' as 'needed' | 'all' | 'texts',
  lineTerminator: 'lf' as 'lf' | 'crlf',
})
const chosen = computed(() => forms.value.find((f) => f.name === wanted.form))

async function open(): Promise<void> {
  isOpen.value = true
  error.value = undefined
  try {
    forms.value = (await answered(api.GET('/api/v1/forms'))).items.filter((f) => !f.isFixed)
  } catch (e) {
    error.value = e
  }
}

const link = computed(() => {
  const { form, header, codes, ...dialect } = wanted
  const query = new URLSearchParams({ form, header, codes, ...(chosen.value?.isDelimited ? dialect : {}) })
  return `/api/v1/runs/${run.id}/rows/written?${query.toString()}`
})
watch(link, () => (error.value = undefined))

/** Asks whether the form can hold the rows before the browser is sent for them: it does not show why one fails. */
async function fetchRows(): Promise<void> {
  isBusy.value = true
  error.value = undefined
  const stop = new AbortController()
  try {
    const answer = await fetch(link.value, { signal: stop.signal })
    if (!answer.ok) {
      const problem = (await answer.json().catch(() => ({}))) as { detail?: string }
      throw new ServiceError(problem.detail ?? 'The rows could not be written.')
    }
    stop.abort()
    const a = document.createElement('a')
    a.href = link.value
    a.download = ''
    a.click()
    isOpen.value = false
  } catch (e) {
    error.value = e
  } finally {
    isBusy.value = false
  }
}
</script>

<template>
  <div class="downloads">
    <template v-for="o in outputs" :key="o.name">
      <a :href="o.link" download class="download">
        <ElIcon><Document v-if="o.name === 'manifest'" /><Download v-else /></ElIcon>{{ o.words }}
        <span class="soft">{{ o.file }}</span>
      </a>
      <ElButton v-if="o.name === 'accepted' && run.tally?.accepted" size="small" @click="open">
        in another form
      </ElButton>
    </template>
    <ElSelect
      v-model="way"
      :empty-values="[null, undefined]"
      size="small"
      class="form"
      aria-label="How downloads are made"
    >
      <ElOption v-for="w in ways" :key="w.value" :value="w.value" :label="w.label" />
    </ElSelect>
  </div>
  <ElDialog v-model="isOpen" title="Accepted rows in another form" width="min(640px, 94vw)">
    <p class="soft lead">{{ counted(run.tally?.accepted ?? 0, 'row', 'rows') }}, as the run accepted them.</p>
    <ElRadioGroup v-model="wanted.form" class="choice" aria-label="Form">
      <ElRadio v-for="f in forms" :key="f.name" :value="f.name" class="one">
        <span class="name">{{ f.title }}</span> <span class="soft">{{ f.meaning }}</span>
      </ElRadio>
    </ElRadioGroup>
    <div class="settings">
      <label for="rows-header">Over the columns</label>
      <ElSelect id="rows-header" v-model="wanted.header" size="small" aria-label="Over the columns">
        <ElOption value="names" label="names" />
        <ElOption value="titles" label="titles" />
        <ElOption value="none" label="nothing" />
      </ElSelect>
      <label for="rows-codes">Codes of code lists</label>
      <ElSelect id="rows-codes" v-model="wanted.codes" size="small" aria-label="Codes of code lists">
        <ElOption value="code" label="as they are" />
        <ElOption value="label" label="by what they mean" />
        <ElOption value="both" label="both, in two columns" />
      </ElSelect>
      <template v-if="chosen?.isDelimited">
        <label for="rows-delimiter">Delimiter</label>
        <ElSelect id="rows-delimiter" v-model="wanted.delimiter" size="small" aria-label="Delimiter">
          <ElOption value=";" label="semicolon" />
          <ElOption value="," label="comma" />
          <ElOption value="tab" label="tab" />
          <ElOption value="|" label="bar" />
        </ElSelect>
        <label for="rows-encoding">Encoding</label>
        <ElInput id="rows-encoding" v-model="wanted.encoding" size="small" maxlength="40" />
        <label for="rows-quoting">In quotes</label>
        <ElSelect id="rows-quoting" v-model="wanted.quoting" size="small" aria-label="In quotes">
          <ElOption value="needed" label="where it takes them" />
          <ElOption value="texts" label="texts" />
          <ElOption value="all" label="all values" />
        </ElSelect>
        <label for="rows-ends">Lines end with</label>
        <ElSelect id="rows-ends" v-model="wanted.lineTerminator" size="small" aria-label="Lines end with">
          <ElOption value="lf" label="LF" />
          <ElOption value="crlf" label="CRLF" />
        </ElSelect>
      </template>
    </div>
    <FailureNote v-if="error" :error="error" class="failure" />
    <template #footer>
      <ElButton @click="isOpen = false">Close</ElButton>
      <ElButton type="primary" :loading="isBusy" :disabled="!chosen" @click="fetchRows">
        Download {{ chosen?.file }}
      </ElButton>
    </template>
  </ElDialog>
</template>

<style scoped>
.downloads {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px;
  margin-top: 14px;
}

.download {
  display: inline-flex;
  align-items: center;
  gap: 6px;
  padding: 5px 10px;
  border: 1px solid var(--line);
  border-radius: 3px;
  text-decoration: none;
  color: var(--ink);
}

.download:hover {
  background: var(--grain-wash);
}

.form {
  width: 250px;
}

.lead {
  margin: 0 0 10px;
}

.choice {
  display: grid;
  gap: 4px;
  justify-items: start;
}

.one {
  height: auto;
  min-height: 28px;
  margin-right: 0;
  white-space: normal;
}

.name {
  display: inline-block;
  min-width: 112px;
}

.settings {
  display: grid;
  grid-template-columns: max-content minmax(0, 260px);
  align-items: center;
  gap: 8px 14px;
  margin-top: 14px;
}

.failure {
  margin-top: 14px;
}
</style>
