<script setup lang="ts">
/** Takes the last change of the draft back, and makes it again: Ctrl+Z, and Ctrl+Shift+Z or Ctrl+Y, do so too. */
import { ElButton } from 'element-plus'
import { computed, onBeforeUnmount, onMounted } from 'vue'
import type { RulesBook } from './draft'

const { work } = defineProps<{ work: RulesBook }>()
const changes = computed(() => work.rules.value?.changes ?? [])
const undone = computed(() => work.rules.value?.undone ?? [])
const canUndo = computed(() => changes.value.length > 0 && !work.isBusy.value)
const canRedo = computed(() => undone.value.length > 0 && !work.isBusy.value)

/** The keys are those of what is typed into, where something is. They wait their turn behind a change under way. */
function onKey(e: KeyboardEvent): void {
  const key = e.key.toLowerCase()
  if (!(e.ctrlKey || e.metaKey) || (key !== 'z' && key !== 'y')) return
  if ((e.target as HTMLElement).closest('input, textarea')) return
  e.preventDefault()
  void (e.shiftKey || key === 'y' ? work.redo() : work.undo())
}
onMounted(() => window.addEventListener('keydown', onKey))
onBeforeUnmount(() => window.removeEventListener('keydown', onKey))
</script>

<template>
  <ElButton
    size="small"
    :disabled="!canUndo"
    :title="changes.length > 0 ? `Take back: ${changes.at(-1)!.words}` : undefined"
    @click="work.undo()"
    >Undo</ElButton
  >
  <ElButton
    size="small"
    :disabled="!canRedo"
    :title="undone.length > 0 ? `Again: ${undone.at(-1)!.words}` : undefined"
    @click="work.redo()"
    >Redo</ElButton
  >
</template>
