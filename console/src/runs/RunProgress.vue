<script setup lang="ts">
/** A run that has no result: under way, failed or stopped. */
import { ElButton, ElProgress } from 'element-plus'
import { computed } from 'vue'
import type { Run } from '../api/client'
import FailureNote from '../components/FailureNote.vue'
import TroubleNote from '../components/TroubleNote.vue'
import { counted, size } from '../format'

const { run } = defineProps<{ run: Run }>()
const emit = defineEmits<{ stop: [] }>()

const percent = computed(() => {
  const p = run.progress
  return p.totalBytes > 0 ? Math.floor((100 * p.bytes) / p.totalBytes) : 0
})
const words = computed(() =>
  run.trouble?.nextAt ? 'Waiting to try again' : run.state === 'waiting' ? 'Waiting for its turn' : 'Sifting',
)
</script>

<template>
  <section v-if="run.state === 'failed'" aria-label="Failure">
    <FailureNote :error="new Error(run.error ?? 'The run failed.')" />
  </section>
  <section v-else-if="run.state === 'cancelled'" class="sheet" aria-label="Cancelled">
    <h2>The run was stopped</h2>
    <p>Nothing was written. Sift again to have a result.</p>
  </section>
  <section v-else class="sheet" aria-label="Progress" aria-live="polite">
    <div class="top">
      <h2>{{ words }}</h2>
      <span class="soft"
        >{{ counted(run.progress.rows, 'row', 'rows') }}, {{ size(run.progress.bytes) }} of
        {{ size(run.progress.totalBytes) }}</span
      >
      <ElButton size="small" @click="emit('stop')">Stop</ElButton>
    </div>
    <ElProgress :percentage="percent" aria-label="Part of the delivery that is read" />
    <TroubleNote :trouble="run.trouble" />
  </section>
</template>
