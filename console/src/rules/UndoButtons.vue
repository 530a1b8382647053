<script setup lang="ts">
/** Takes the last change of the draft back, and makes it again. */
import { ElButton } from 'element-plus'
import { computed } from 'vue'
import type { RulesBook } from './draft'

const { work } = defineProps<{ work: RulesBook }>()
const changes = computed(() => work.rules.value?.changes ?? [])
const undone = computed(() => work.rules.value?.undone ?? [])
</script>

<template>
  <ElButton
    size="small"
    :disabled="changes.length === 0 || work.isBusy.value"
    :title="changes.length > 0 ? `Take back: ${changes.at(-1)!.words}` : undefined"
    @click="work.undo()"
    >Undo</ElButton
  >
  <ElButton
    size="small"
    :disabled="undone.length === 0 || work.isBusy.value"
    :title="undone.length > 0 ? `Again: ${undone.at(-1)!.words}` : undefined"
    @click="work.redo()"
    >Redo</ElButton
  >
</template>
