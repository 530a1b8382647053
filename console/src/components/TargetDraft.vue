<script setup lang="ts">
/** The text of a target that was drafted: to be read, changed and added. It is kept as it is changed. */
import { ElButton, ElInput } from 'element-plus'
import { computed, nextTick, onMounted, ref, useTemplateRef, watch } from 'vue'
import { addText, type Target } from '../api/client'
import type { DraftBook } from '../drafts'
import FailureNote from './FailureNote.vue'

const { note, book, mark = undefined } = defineProps<{ note: string; book: DraftBook; mark?: [number, number] }>()
const emit = defineEmits<{ added: [target: Target]; close: [] }>()

const error = ref<unknown>()
const panel = useTemplateRef<HTMLElement>('panel')
const box = useTemplateRef<InstanceType<typeof ElInput>>('box')
const draft = computed(() => book.drafts.value?.target)
const text = computed({
  get: () => draft.value?.text ?? '',
  // What was typed is not to be taken back by a click that takes back something else.
  set: (to) => book.keepTarget({ text: to }),
})

async function add(): Promise<void> {
  error.value = undefined
  try {
    emit('added', await addText(text.value))
  } catch (e) {
    error.value = e
  }
}

function takeBack(): void {
  const before = draft.value?.before
  if (before !== undefined) book.keepTarget({ text: before })
}

async function discard(): Promise<void> {
  try {
    await book.drop('target')
    emit('close')
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

onMounted(async () => {
  await nextTick()
  panel.value?.scrollIntoView({ block: 'nearest' })
  if (!mark) panel.value?.focus({ preventScroll: true })
})
</script>

<template>
  <section ref="panel" class="sheet draft" aria-label="Draft of a target" tabindex="-1" @keydown.esc="emit('close')">
    <div class="head">
      <h2>Draft of a target</h2>
      <ElButton size="small" type="primary" @click="add">Add target</ElButton>
      <ElButton v-if="draft?.before !== undefined" size="small" @click="takeBack">Take back: {{ draft.what || 'the last change' }}</ElButton>
      <slot name="actions" />
      <ElButton size="small" @click="discard">Discard</ElButton>
      <ElButton size="small" @click="emit('close')">Close</ElButton>
      <span class="soft" role="status">{{ book.failure.value ? 'not added, and not kept' : book.isBehind.value ? 'not added; keeping …' : 'not added; kept with the delivery' }}</span>
    </div>
    <p class="soft">{{ note }}</p>
    <slot />
    <FailureNote v-if="error ?? book.failure.value" :error="error ?? book.failure.value" />
    <ElInput ref="box" v-model="text" type="textarea" :autosize="{ minRows: 8, maxRows: 15 }" aria-label="Text of the target" spellcheck="false" />
  </section>
</template>

<style scoped>
.draft {
  margin-bottom: 14px;
  padding: 10px 14px 14px;
}

.head {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 6px 12px;
}

.head .el-button {
  margin-left: 0;
}

.draft :deep(textarea) {
  font-family: 'DejaVu Sans Mono', Consolas, monospace;
  font-size: 12.5px;
  white-space: pre;
}
</style>
