<script setup lang="ts">
/** The likely cures of a violation that a run found, tried on all rows by the draft of rules. */
import { computed, onMounted } from 'vue'
import type { Group, Run, Suggestion } from '../api/client'
import FailureNote from '../components/FailureNote.vue'
import { counted } from '../format'
import CureButton from './CureButton.vue'
import type { RulesBook } from './draft'
import { inWords, useSuggestions } from './suggestions'

const { run, group, work } = defineProps<{ run: Run; group: Group; work: RulesBook }>()

/** So many cures are shown; the Rules station has all. */
const mostCures = 3

/** The draft is of what the run was sifted by: only then its cures are the run's. */
const isSame = computed(
  () => work.rules.value?.target.name === run.target?.name && work.rules.value?.mapping?.name === run.mapping?.name,
)
const isCounted = computed(() => work.rehearsal.value?.whole === true && !work.isOld.value)
const column = computed(() => work.columns.value.find((c) => c.name === group.column)?.name)
/** What is left of the violation by the draft. */
const left = computed(() =>
  work.rehearsal.value?.broken.find((b) => b.code === group.code && b.column === group.column),
)
const isAsked = computed(() => isSame.value && isCounted.value && left.value !== undefined && group.column !== '')
const { found, error, load } = useSuggestions(() =>
  isAsked.value ? { delivery: run.delivery, state: work.state.value, column: group.column } : undefined,
)

const family = (code: string): string | undefined => code.split('.')[0]
const isCure = (s: Suggestion): boolean =>
  s.kind !== 'rule' &&
  (s.kind !== 'pair' || group.code === 'header.missing') &&
  s.column === group.column &&
  (!s.code || s.code === group.code || family(s.code) === family(group.code))
const cures = computed(() => (found.value?.items ?? []).filter(isCure).slice(0, mostCures))
/** Where the rule is: a column's, or that of a part which concerns rows. */
const place = computed(() => {
  const over =
    { rule: 'rules', key: 'key', row: 'key', reference: 'references' }[family(group.code) ?? ''] ?? 'delivery'
  return `/deliveries/${run.delivery}/rules?${column.value ? `column=${encodeURIComponent(column.value)}` : `over=${over}`}`
})

onMounted(async () => {
  if (work.rules.value || (await work.load()) || work.error.value || !run.target) return
  await work.begin({ target: run.target.name, mapping: run.mapping?.name })
})

const take = (s: Suggestion): Promise<boolean> => work.change(inWords(s), s.steps)
</script>

<template>
  <div v-if="run.target" class="cures" aria-label="Cures">
    <FailureNote v-if="error" :error="error" :retry="load" />
    <template v-if="work.rules.value && !isSame"
      ><span class="soft">The delivery is worked on by other rules meanwhile.</span></template
    >
    <span v-else-if="!isCounted" class="soft">counting by the rules as they stand …</span>
    <span v-else-if="!left" class="mended"
      >✓
      {{
        (work.rules.value?.changes.length ?? 0) > 0
          ? 'mended in the draft of rules, which is not saved yet'
          : 'the rules as they stand now do not find it any more'
      }}</span
    >
    <template v-else>
      <span v-if="left.rows !== group.rows" class="soft"
        >by the rules as they stand in {{ counted(left.rows, 'row', 'rows') }}</span
      >
      <CureButton v-for="s in cures" :key="s.id" :suggestion="s" @take="take" />
      <span v-if="isAsked && !found?.done" class="soft" role="status">{{
        cures.length > 0 ? 'being tried on all rows …' : 'looking for cures …'
      }}</span>
      <span v-else-if="cures.length === 0" class="soft">No cure is known: ask the sender.</span>
    </template>
    <RouterLink :to="place">its rule →</RouterLink>
  </div>
</template>

<style scoped>
.cures {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 4px 8px;
  margin: 6px 0;
}

.mended {
  color: var(--leaf);
}
</style>
