<script setup lang="ts">
/** What can be done about the rows that were found, each by one click into the draft of rules. */
import { ElButton } from 'element-plus'
import { computed } from 'vue'
import type { Filter } from '../api/client'
import { counted } from '../format'
import type { FoundCures } from './found'
import ValueCures from './ValueCures.vue'

const {
  filters,
  rows = undefined,
  cures,
} = defineProps<{
  filters: Filter[]
  /** How many there are; undefined until they are counted. */
  rows?: number
  cures: FoundCures
}>()

/** The one filter on one value, which can be another one. */
const one = computed(() => {
  const f = filters[0]
  return filters.length === 1 && f?.op === 'equals' && f.column !== undefined
    ? { column: f.column, value: f.value ?? '' }
    : undefined
})
const isExpressed = computed(() => cures.isExpressed(filters))
</script>

<template>
  <span class="cures">
    <ElButton
      size="small"
      :disabled="!isExpressed || rows === 0"
      :title="isExpressed ? 'Adds a condition to the draft of rules' : 'No condition says the same as these filters'"
      @click="cures.leave(filters)"
      >Leave {{ rows === undefined ? 'these rows' : counted(rows, 'row', 'rows') }} out</ElButton
    >
    <ValueCures
      v-if="one && cures.isText(one.column)"
      :value="one.value"
      @missing="cures.missing(one.column, one.value)"
      @recode="(to) => one && cures.recode(one.column, one.value, to)"
    />
  </span>
</template>

<style scoped>
.cures {
  display: inline-flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 2px 10px;
}
</style>
