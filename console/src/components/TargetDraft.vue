<script setup lang="ts">
/** The text of a target that was drafted: to be read, changed and added. */
import { ElButton, ElInput } from 'element-plus'
import { nextTick, ref, useTemplateRef, watch } from 'vue'
import { addTarget, type Target } from '../api/client'
import FailureNote from './FailureNote.vue'

const { note, mark = undefined } = defineProps<{ note: string; mark?: [number, number] }>()
const text = defineModel<string>({ required: true })
const emit = defineEmits<{ added: [target: Target]; close: [] }>()

const error = ref<unknown>()
const box = useTemplateRef<InstanceType<typeof ElInput>>('box')

async function add(): Promise<void> {
  error.value = undefined
  try {
    emit('added', await addTarget(text.value))
  } catch (e) {
    error.value = e
  }
}

/** Shows the part of the text that is meant. */
watch(() => mark, async () => {
  if (!mark) return
  await nextTick()
  const area = box.value?.textarea
  if (!area) return
  area.focus()
  area.setSelectionRange(...mark)
  const line = text.value.slice(0, mark[0]).split('\n').length
  area.scrollTop = Math.max(0, (line - 4) * Number.parseFloat(getComputedStyle(area).lineHeight))
}, { immediate: true })
</script>

<template>
  <section class="sheet draft" aria-label="Draft of a target">
    <div class="head">
      <h2>Draft of a target</h2>
      <ElButton size="small" type="primary" @click="add">Add target</ElButton>
      <ElButton size="small" @click="emit('close')">Close</ElButton>
    </div>
    <p class="soft">{{ note }}</p>
    <slot />
    <FailureNote v-if="error" :error="error" />
    <ElInput ref="box" v-model="text" type="textarea" :autosize="{ minRows: 10, maxRows: 28 }" aria-label="Text of the target" spellcheck="false" />
  </section>
</template>

<style scoped>
.draft {
  margin-top: 14px;
  padding: 10px 14px 14px;
}

.head {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 12px;
}

.draft :deep(textarea) {
  font-family: 'DejaVu Sans Mono', Consolas, monospace;
  font-size: 12.5px;
  white-space: pre;
}
</style>
