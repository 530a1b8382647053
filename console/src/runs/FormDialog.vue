<script setup lang="ts">
/** Rows of an outcome, asked for in a form. */
import { ElButton, ElCheckbox, ElDialog, ElInput, ElOption, ElRadio, ElRadioGroup, ElSelect } from 'element-plus'
import { computed, reactive, ref, watch } from 'vue'
import { answered, api, ServiceError, type OutputForm } from '../api/client'
import FailureNote from '../components/FailureNote.vue'
import { counted } from '../format'
import type { Asked } from '../result/question'

const {
  run,
  title,
  lead,
  asked = { side: 'accepted', where: [] },
  columns = undefined,
} = defineProps<{
  run: string
  title: string
  /** Which rows, and how many. */
  lead: string
  asked?: Asked
  /** Columns that were chosen; without them all are written. */
  columns?: string[]
}>()
const isOpen = defineModel<boolean>({ required: true })

const forms = ref<OutputForm[]>([])
const error = ref<unknown>()
const isBusy = ref(false)
const isChosen = ref(true)
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

watch(isOpen, async (is) => {
  if (!is) return
  error.value = undefined
  try {
    forms.value = (await answered(api.GET('/api/v1/forms'))).items.filter((f) => !f.isFixed)
  } catch (e) {
    error.value = e
  }
})

/** The service's name of the file is that of accepted rows. */
const file = computed(() => chosen.value?.file.replace('accepted', asked.kind ?? asked.side))
const link = computed(() => {
  const { form, header, codes, ...dialect } = wanted
  const query = new URLSearchParams({ form, header, codes, ...(chosen.value?.isDelimited ? dialect : {}) })
  for (const [name, of] of Object.entries(asked) as [string, string | string[] | undefined][])
    for (const one of [of ?? []].flat()) query.append(name, one)
  if (columns && isChosen.value) for (const name of columns) query.append('columns', name)
  return `/api/v1/runs/${run}/rows/written?${query.toString()}`
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
  <ElDialog v-model="isOpen" :title="title" width="min(640px, 94vw)">
    <p class="soft lead">{{ lead }}</p>
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
    <ElCheckbox v-if="columns" v-model="isChosen">
      only the {{ counted(columns.length, 'column', 'columns') }} chosen, in their order
    </ElCheckbox>
    <FailureNote v-if="error" :error="error" class="failure" />
    <template #footer>
      <ElButton @click="isOpen = false">Close</ElButton>
      <ElButton type="primary" :loading="isBusy" :disabled="!chosen" @click="fetchRows">
        Download {{ file }}
      </ElButton>
    </template>
  </ElDialog>
</template>

<style scoped>
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
