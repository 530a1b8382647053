<script setup lang="ts">
/** A target from a table of a database. */
import { ElButton, ElDialog } from 'element-plus'
import { ref } from 'vue'
import { answered, api } from '../api/client'
import FailureNote from '../components/FailureNote.vue'
import type { Made } from './names'
import TablePicker from './TablePicker.vue'

const { open } = defineProps<{ open: boolean }>()
const emit = defineEmits<{ close: []; made: [target: Made] }>()

const database = ref('')
const table = ref('')
const isBusy = ref(false)
const error = ref<unknown>()

async function draw(): Promise<void> {
  isBusy.value = true
  error.value = undefined
  try {
    const drawn = await answered(
      api.POST('/api/v1/targets/from-table', { body: { database: database.value, table: table.value } }),
    )
    emit('made', { name: drawn.name, text: drawn.text, left: [] })
  } catch (e) {
    error.value = e
  }
  isBusy.value = false
}
</script>

<template>
  <ElDialog
    :model-value="open"
    title="A target from a database table"
    width="min(760px, 96vw)"
    @close="emit('close')"
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
