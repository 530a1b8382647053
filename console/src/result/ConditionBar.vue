<script setup lang="ts">
/** The conditions that rows pass: each can be taken away, and another one added. */
import { ElButton, ElInput, ElOption, ElSelect } from 'element-plus'
import { computed, ref } from 'vue'
import { needsValue, ops, say } from '../profile/filters'
import { conditions, type Condition, type ConditionName } from './question'

const { where, columns } = defineProps<{ where: Condition[]; columns: string[] }>()
const emit = defineEmits<{ add: [c: Condition]; remove: [place: number] }>()

const isOpen = ref(false)
const column = ref('')
const op = ref<ConditionName>('equals')
const value = ref('')
const isReady = computed(() => column.value !== '' && (!needsValue(op.value) || value.value !== ''))

function add(): void {
  if (!isReady.value) return
  emit('add', { column: column.value, op: op.value, value: needsValue(op.value) ? value.value : '' })
  isOpen.value = false
  value.value = ''
}
</script>

<template>
  <div class="bar">
    <span v-for="(c, i) in where" :key="i" class="chip"
      >{{ say(c) }}
      <button type="button" class="off" :aria-label="`Without ${say(c)}`" @click="emit('remove', i)">×</button></span
    >
    <ElButton v-if="!isOpen" size="small" @click="isOpen = true">Add a condition</ElButton>
    <form v-else class="form" @submit.prevent="add">
      <ElSelect v-model="column" size="small" filterable placeholder="Column" aria-label="Column" class="column">
        <ElOption v-for="c in columns" :key="c" :value="c" :label="c" />
      </ElSelect>
      <ElSelect v-model="op" size="small" aria-label="Condition" class="op">
        <ElOption v-for="o in conditions" :key="o" :value="o" :label="ops[o]" />
      </ElSelect>
      <ElInput v-if="needsValue(op)" v-model="value" size="small" aria-label="Value" class="value" />
      <ElButton size="small" type="primary" native-type="submit" :disabled="!isReady">Add</ElButton>
      <ElButton size="small" @click="isOpen = false">Cancel</ElButton>
    </form>
    <slot />
  </div>
</template>

<style scoped>
.bar,
.form {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px 8px;
}

.bar {
  padding: 8px 12px;
}

.form :deep(.el-button) {
  margin: 0;
}

.chip {
  padding: 1px 8px;
  border: 1px solid var(--grain);
  border-radius: 3px;
  background: var(--grain-wash);
  overflow-wrap: anywhere;
}

.off {
  padding: 0 2px;
  border: 0;
  background: none;
  color: inherit;
  font: inherit;
  cursor: pointer;
}

.column {
  width: 170px;
}

.op {
  width: 150px;
}

.value {
  width: 150px;
}
</style>
