<script setup lang="ts">
/** What became of a run: its verdict, the account of its rows, and what it has written. */
import { computed } from 'vue'
import type { Run } from '../api/client'
import TallyBar from '../components/TallyBar.vue'
import { counted, delimiterName } from '../format'
import RunDownloads from './RunDownloads.vue'

const { run } = defineProps<{ run: Run }>()

const meaning: Record<string, string> = {
  accepted: 'No row was rejected.',
  split: 'Some rows were rejected; the target sets no limit.',
  refused: 'The delivery as a whole must not be loaded.',
}

const verdictMeans = computed(() =>
  run.verdict === 'split' && run.tolerance
    ? `Some rows were rejected, within the tolerance of ${run.tolerance}.`
    : meaning[run.verdict ?? ''],
)

const readAs = computed(() => {
  const l = run.readAs
  if (!l) return ''
  const parts =
    l.form === 'workbook'
      ? [`sheet ${l.sheet}`]
      : [
          l.encoding,
          l.form === 'fixed'
            ? `fixed width, ${l.cuts.length + 1} columns`
            : l.fold > 0
              ? `${l.fold} lines to a row`
              : delimiterName(l.delimiter),
        ]
  if (l.skipRows > 0) parts.push(`${counted(l.skipRows, 'line', 'lines')} above the table`)
  parts.push(l.headerRows === 0 ? 'no header' : counted(l.headerRows, 'header row', 'header rows'))
  if (l.footerRows > 0) parts.push(`${counted(l.footerRows, 'line', 'lines')} below the table`)
  if (run.blankLines) parts.push(`${counted(run.blankLines, 'blank line', 'blank lines')} ignored`)
  return parts.join(', ')
})

/** What the tally alone does not say. */
const remarks = computed(() => [
  ...(run.unfit ?? []).map((u) => `${u.column}, fed by “${u.header}”: ${u.message}`),
  ...(run.excluded ?? []).map((x) => `${counted(x.rows, 'row', 'rows')} excluded: ${x.reason}`),
  ...(run.leftOut ? [`Left out, as the mapping says: ${run.leftOut.join(', ')}`] : []),
  ...(run.unjudged ?? []).map(
    (u) => `“${u.rule}” was not judged in ${counted(u.rows, 'row', 'rows')}, where a value is missing or wrong`,
  ),
])
</script>

<template>
  <section class="sheet" aria-label="Result">
    <div class="result">
      <div class="verdict">
        <h2 class="word" :class="run.verdict">{{ run.verdict }}</h2>
        <p>{{ run.refusal || verdictMeans }}</p>
        <p v-if="run.tally?.accepted">
          <RouterLink :to="`/deliveries/${run.delivery}/result?run=${run.id}`"
            >the accepted rows, as their table will have them →</RouterLink
          >
        </p>
        <p class="soft">read as {{ readAs }}</p>
        <p v-for="remark in remarks" :key="remark" class="soft">{{ remark }}</p>
      </div>
      <TallyBar v-if="run.tally" :tally="run.tally" class="tally" :refused="run.verdict === 'refused'" />
    </div>
    <RunDownloads :run="run" />
  </section>
</template>

<style scoped>
.result {
  display: grid;
  grid-template-columns: minmax(220px, 380px) 1fr;
  gap: 10px 28px;
}

.word {
  font-size: 26px;
}

.word.accepted {
  color: var(--leaf);
}

.word.split {
  color: var(--grain);
}

.word.refused {
  color: var(--rust);
}

.verdict p {
  margin: 4px 0 0;
  overflow-wrap: anywhere;
}

@media (max-width: 1000px) {
  .result {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
