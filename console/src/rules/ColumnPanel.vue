<script setup lang="ts">
/** One column of the target: its pairing, rule and remedies, and the values that do not fit. */
import { computed } from 'vue'
import { useAddress } from '../address'
import type { RemedyHelp, Step } from '../api/client'
import ColumnRule from './ColumnRule.vue'
import type { RulesBook } from './draft'
import { datatypeOf, feedOf, type ColumnSpec } from './model'
import SpellingPanel from './SpellingPanel.vue'
import WrongValues from './WrongValues.vue'

const { delivery, column, work, help, samples } = defineProps<{
  delivery: string
  column: ColumnSpec
  work: RulesBook
  help: RemedyHelp[]
  samples: Map<string, string>
}>()
const emit = defineEmits<{ change: [words: string, steps: Step[]]; feed: [header: string] }>()
const address = useAddress()
const rehearsal = work.rehearsal
const fit = computed(() => rehearsal.value?.columns.find((c) => c.column === column.name))
const change = (words: string, steps: Step[]): void => emit('change', words, steps)
</script>

<template>
  <section class="sheet" :aria-label="`Rule of ${column.name}`">
    <div class="head">
      <h2>{{ column.name }}</h2>
      <span class="soft">{{ column.demands.description }}</span>
    </div>
    <ColumnRule
      :column="column"
      :rehearsal="rehearsal"
      :help="help"
      :mapping="work.rules.value?.mapping?.name"
      :samples="samples"
      @change="change"
      @feed="(header) => emit('feed', header)"
    />
  </section>
  <WrongValues
    :unfed="fit !== undefined && !fit.place && feedOf(column).kind === 'header'"
    :delivery="delivery"
    :column="column"
    :state="work.state.value"
    :whole="rehearsal?.whole === true && !work.isOld.value"
    :page="address.page()"
    :find="address.of('find')"
    @change="change"
    @rows="(v) => address.go({ rows: 'column', value: v, empty: v === '' ? 'yes' : undefined })"
    @page="(p) => address.go({ page: p === 1 ? undefined : p })"
    @find="(t) => address.go({ find: t || undefined, page: undefined })"
  />
  <SpellingPanel
    v-if="datatypeOf(column) === 'string' && fit?.place"
    :key="column.name"
    :delivery="delivery"
    :column="column"
    :state="work.state.value"
    :open="address.of('spellings') === 'open'"
    @open="(on) => address.go({ spellings: on ? 'open' : undefined })"
    @change="change"
  />
</template>

<style scoped>
.head {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 4px 12px;
  padding: 8px 12px;
  border-bottom: 1px solid var(--line);
}
</style>
