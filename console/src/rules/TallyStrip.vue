<script setup lang="ts">
/** The account of rows as the draft stands, and how it differs from the saved versions. */
import { computed } from 'vue'
import type { Rehearsal } from '../api/client'
import TallyBar from '../components/TallyBar.vue'
import { count, counted } from '../format'

const {
  rehearsal = undefined,
  old = false,
  changed = 0,
  since = '',
} = defineProps<{
  rehearsal?: Rehearsal
  /** It is of the draft before the last change. */
  old?: boolean
  /** Changes that are not saved. */
  changed?: number
  /** What the draft began with, in words. */
  since?: string
}>()
const emit = defineEmits<{ shifted: [] }>()

const state = computed(() => {
  const r = rehearsal
  if (!r) return 'counting …'
  if (old) return 'counting anew …'
  if (r.whole) return 'all rows counted'
  const { bytes, totalBytes, rows } = r.progress
  const about =
    bytes > 0 && totalBytes > 0 && rows > 0
      ? ` of about ${count(Math.max(rows, Math.round((rows * totalBytes) / bytes)))}`
      : ''
  return `of the first ${counted(r.tally.read, 'row', 'rows')}; counting on, ${count(r.rows)}${about} so far`
})

/** What changed sides, in words; empty for nothing. */
const shift = computed(() => {
  const s = rehearsal?.since
  if (!s || old) return undefined
  if (!s.sameCount)
    return { words: `${counted(s.tally.read, 'row was', 'rows were')} read by ${since}`, rows: 0, good: false }
  const parts: string[] = []
  if (s.gained > 0) parts.push(`+${count(s.gained)} accepted`)
  if (s.lost > 0) parts.push(`−${count(s.lost)} accepted`)
  if (s.excluded > 0) parts.push(`+${count(s.excluded)} excluded`)
  if (s.readmitted > 0) parts.push(`−${count(s.readmitted)} excluded`)
  const rows = s.gained + s.lost + s.excluded + s.readmitted
  return {
    words: parts.length > 0 ? `${parts.join(', ')} since ${since}` : `as many rows on each side as by ${since}`,
    rows,
    good: s.lost === 0 && s.gained > 0,
  }
})
</script>

<template>
  <div class="strip" :class="{ old }">
    <div class="line">
      <template v-if="rehearsal">
        <span class="term"
          ><b>{{ count(rehearsal.tally.read) }}</b> read =</span
        >
        <span class="term accepted"
          ><b>{{ count(rehearsal.tally.accepted) }}</b> accepted +</span
        >
        <span class="term" :class="{ rejected: rehearsal.tally.rejected > 0 }"
          ><b>{{ count(rehearsal.tally.rejected) }}</b> rejected +</span
        >
        <span class="term"
          ><b>{{ count(rehearsal.tally.excluded) }}</b> excluded</span
        >
      </template>
      <span class="soft" role="status" aria-live="polite">{{ state }}</span>
      <span v-if="rehearsal?.refusal && !old" class="refusal">refused: {{ rehearsal.refusal }}</span>
      <span v-if="shift && changed > 0" class="shift" :class="{ good: shift.good }"
        >{{ shift.words }}
        <button v-if="shift.rows > 0" type="button" class="link" @click="emit('shifted')">
          {{ shift.rows === 1 ? 'the row' : `the ${count(shift.rows)} rows` }}
        </button>
      </span>
    </div>
    <div class="tools"><slot /></div>
    <TallyBar v-if="rehearsal" class="bar" :tally="rehearsal.tally" slim :refused="rehearsal.verdict === 'refused'" />
  </div>
</template>

<style scoped>
/* What is told grows and shrinks; the buttons beside it stay where they are under the pointer. */
.strip {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 0 12px;
  align-items: start;
  padding: 8px 12px;
}

.bar {
  grid-column: 1 / -1;
}

.line {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 4px 12px;
  margin-bottom: 6px;
}

.term {
  white-space: nowrap;
}

.term b {
  font-size: 16px;
}

.accepted b {
  color: var(--leaf);
}

.rejected b,
.refusal {
  color: var(--rust);
}

/* Of the draft before the last change: told in the colour of what is said beside. */
.old .term,
.old .term b {
  color: var(--soft);
}

.shift {
  color: var(--grain);
}

.shift.good {
  color: var(--leaf);
}

.tools {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
}

@media (max-width: 760px) {
  .strip {
    grid-template-columns: minmax(0, 1fr);
  }

  .tools {
    grid-row: 1;
    margin-bottom: 6px;
  }
}

.tools :deep(.el-button) {
  margin: 0;
}
</style>
