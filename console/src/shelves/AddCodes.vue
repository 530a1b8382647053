<script setup lang="ts">
/** Makes a code list: by hand, of a column of a delivery, or of a table of a database. */
import { ElButton, ElDialog, ElInput, ElOption, ElSelect } from 'element-plus'
import { computed, ref, watch } from 'vue'
import { answered, api, type Delivery, type Target } from '../api/client'
import FailureNote from '../components/FailureNote.vue'
import { time } from '../format'
import { steward } from '../steward'
import { ask, useNames } from './names'
import TablePicker from './TablePicker.vue'

export type Source = 'hand' | 'column' | 'table'
const { source = undefined } = defineProps<{ source?: Source }>()
const emit = defineEmits<{ close: []; added: [name: string] }>()

const names = useNames()
const name = ref('')
const title = ref('')
const text = ref('')
const deliveries = ref<Delivery[]>([])
const delivery = ref('')
const headers = ref<string[]>([])
const database = ref('')
const table = ref('')
const column = ref('')
const label = ref('')
const isBusy = ref(false)
const error = ref<unknown>()

watch(
  () => source,
  () => {
    name.value = title.value = delivery.value = column.value = label.value = table.value = ''
    text.value = 'code,label\n'
    headers.value = []
    error.value = undefined
    if (source === 'column') void findDeliveries('')
  },
)

async function findDeliveries(what: string): Promise<void> {
  try {
    deliveries.value = (
      await answered(api.GET('/api/v1/deliveries', { params: { query: { find: what || undefined, limit: 50 } } }))
    ).items
  } catch (e) {
    error.value = e
  }
}

watch(delivery, async (id) => {
  headers.value = []
  if (!id) return
  try {
    headers.value =
      (await answered(api.POST('/api/v1/deliveries/{id}/reading', { params: { path: { id } }, body: {} }))).columns ??
      []
  } catch (e) {
    error.value = e
  }
})

const isReady = computed(
  () => name.value !== '' && names.wrong('codes', name.value) === '' && (source === 'hand' || column.value !== ''),
)

async function add(): Promise<void> {
  isBusy.value = true
  error.value = undefined
  try {
    let added: Target
    if (source === 'hand') {
      added = await ask<Target>(
        `codes?name=${encodeURIComponent(name.value)}&title=${encodeURIComponent(title.value)}&by=${encodeURIComponent(steward.get())}`,
        'POST',
        text.value,
        'text/csv',
      )
    } else {
      const from =
        source === 'column'
          ? { delivery: delivery.value, column: column.value }
          : { database: database.value, table: table.value, code: column.value }
      added = await ask<Target>('codes/from', 'POST', {
        name: name.value,
        title: title.value || undefined,
        by: steward.get() || undefined,
        label: label.value || undefined,
        ...from,
      })
    }
    emit('added', added.name)
  } catch (e) {
    error.value = e
  }
  isBusy.value = false
}
</script>

<template>
  <ElDialog :model-value="source !== undefined" title="A code list" width="min(760px, 96vw)" @close="emit('close')">
    <form class="codes" @submit.prevent="add">
      <label>Name<ElInput v-model="name" aria-label="Name" @input="(t: string) => names.look('codes', t)" /></label>
      <p v-if="name && names.wrong('codes', name)" class="bad" role="alert">{{ names.wrong('codes', name) }}</p>
      <label>What people call it<ElInput v-model="title" aria-label="Title" /></label>
      <label v-if="source === 'hand'"
        >Codes, one in a line, with what each means behind a comma<ElInput
          v-model="text"
          type="textarea"
          :autosize="{ minRows: 8, maxRows: 20 }"
          spellcheck="false"
          class="code"
          aria-label="Codes"
      /></label>
      <template v-else>
        <label v-if="source === 'column'"
          >Delivery<ElSelect
            v-model="delivery"
            filterable
            remote
            :remote-method="findDeliveries"
            placeholder="Find a delivery"
            aria-label="Delivery"
            ><ElOption
              v-for="d in deliveries"
              :key="d.id"
              :value="d.id"
              :label="`${d.name}, ${time(d.arrivedAt)}`" /></ElSelect
        ></label>
        <TablePicker
          v-else
          :chosen="table"
          @choose="
            (d, t) => {
              database = d
              table = `${t.schema}.${t.name}`
              headers = t.columns
              column = label = ''
            }
          "
        />
        <label
          >Column with the codes<ElSelect
            v-model="column"
            filterable
            no-data-text="Choose where it stands first"
            aria-label="Column with the codes"
            ><ElOption v-for="h in headers" :key="h" :value="h" :label="h" /></ElSelect
        ></label>
        <label
          >Column with what they mean<ElSelect
            v-model="label"
            filterable
            clearable
            placeholder="none"
            aria-label="Column with what they mean"
            ><ElOption v-for="h in headers" :key="h" :value="h" :label="h" /></ElSelect
        ></label>
      </template>
      <FailureNote v-if="error" :error="error" />
      <p class="go">
        <ElButton type="primary" native-type="submit" :loading="isBusy" :disabled="!isReady">Add the list</ElButton>
      </p>
    </form>
  </ElDialog>
</template>

<style scoped>
.codes {
  display: grid;
  gap: 8px;
}

label {
  display: grid;
  gap: 2px;
}

p {
  margin: 0;
}

.go {
  text-align: right;
}

.bad {
  color: var(--rust);
}

.code :deep(textarea) {
  font-family: 'DejaVu Sans Mono', Consolas, monospace;
  font-size: 12.5px;
}
</style>
