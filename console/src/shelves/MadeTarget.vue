<script setup lang="ts">
/** A target that was made of something else: looked at and changed before it is added. */
import { ElButton, ElDialog, ElInput } from 'element-plus'
import { ref, watch } from 'vue'
import { addText } from '../api/client'
import FailureNote from '../components/FailureNote.vue'
import type { Made } from './names'

const { made = undefined } = defineProps<{ made?: Made }>()
const emit = defineEmits<{ close: []; added: [target: string] }>()

const text = ref('')
const error = ref<unknown>()
watch(
  () => made,
  (now) => {
    text.value = now?.text ?? ''
    error.value = undefined
  },
)

async function add(): Promise<void> {
  error.value = undefined
  try {
    const added = await addText(text.value)
    if (made?.mapping) await addText(made.mapping)
    emit('added', added.name)
  } catch (e) {
    error.value = e
  }
}
</script>

<template>
  <ElDialog
    :model-value="made !== undefined"
    :title="`The target ${made?.name ?? ''}`"
    width="min(760px, 96vw)"
    @close="emit('close')"
  >
    <p class="soft">It is not added yet. Change what you know better, then add it.</p>
    <ul v-if="made && made.left.length > 0" class="left">
      <li v-for="l in made.left" :key="l">not taken: {{ l }}</li>
    </ul>
    <ElInput
      v-if="made"
      v-model="text"
      type="textarea"
      :autosize="{ minRows: 8, maxRows: 24 }"
      spellcheck="false"
      aria-label="Text of the target"
      class="code"
    />
    <FailureNote v-if="error" :error="error" />
    <template #footer
      ><ElButton @click="emit('close')">Discard</ElButton
      ><ElButton type="primary" @click="add">Add the target</ElButton></template
    >
  </ElDialog>
</template>

<style scoped>
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
