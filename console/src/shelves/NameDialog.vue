<script setup lang="ts">
/** Asks for a name that no other text of the library has. */
import { ElButton, ElDialog, ElInput } from 'element-plus'
import { ref, watch } from 'vue'
import FailureNote from '../components/FailureNote.vue'
import { useNames, type Library } from './names'

const {
  library,
  open,
  title,
  note = '',
  verb,
  begin = '',
  go,
} = defineProps<{
  library: Library
  open: boolean
  title: string
  note?: string
  verb: string
  /** The name that stands there first. */
  begin?: string
  go: (name: string) => Promise<void>
}>()
const emit = defineEmits<{ close: [] }>()
const { look, wrong } = useNames()
const name = ref('')
const error = ref<unknown>()
const isBusy = ref(false)

watch(
  () => open,
  () => {
    name.value = begin
    error.value = undefined
    if (open && begin) void look(library, begin)
  },
  { immediate: true },
)

async function submit(): Promise<void> {
  isBusy.value = true
  error.value = undefined
  try {
    await go(name.value)
    emit('close')
  } catch (e) {
    error.value = e
  }
  isBusy.value = false
}
</script>

<template>
  <ElDialog :model-value="open" :title="title" width="min(480px, 96vw)" @close="emit('close')">
    <form @submit.prevent="submit">
      <p v-if="note" class="soft">{{ note }}</p>
      <label for="text-name">Name</label>
      <ElInput id="text-name" v-model="name" aria-label="Name" @input="(t: string) => look(library, t)" />
      <p v-if="name && wrong(library, name)" class="bad" role="alert">{{ wrong(library, name) }}</p>
      <FailureNote v-if="error" :error="error" />
      <p class="go">
        <ElButton
          type="primary"
          native-type="submit"
          :loading="isBusy"
          :disabled="name === '' || wrong(library, name) !== ''"
          >{{ verb }}</ElButton
        >
      </p>
    </form>
  </ElDialog>
</template>

<style scoped>
p {
  margin: 6px 0;
}

.go {
  margin-top: 14px;
  text-align: right;
}

.bad {
  color: var(--rust);
}

label {
  font-weight: 600;
}
</style>
