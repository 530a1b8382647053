<script setup lang="ts">
/** Chooses the run with which another one is compared: of the same delivery, or of another by the same target. */
import { ElOption, ElSelect } from 'element-plus'
import { computed } from 'vue'
import { answered, api, type Run, type RunHead, type TextUse } from '../api/client'
import { time } from '../format'
import { useLoaded } from '../loaded'
import { ask } from '../shelves/names'

const {
  run,
  runs,
  other = undefined,
} = defineProps<{
  run: Run
  /** Of the delivery. */
  runs: RunHead[]
  /** The run that is chosen. */
  other?: string
}>()
const emit = defineEmits<{ choose: [run: string | undefined] }>()

// Without them the runs of the delivery can be chosen all the same.
const { found: uses } = useLoaded<TextUse[]>(
  () => run.target?.name,
  async () => {
    const name = run.target?.name
    if (!name) return []
    return (await ask<{ items: TextUse[] }>(`targets/${encodeURIComponent(name)}/uses?limit=50`)).items
  },
  true,
)
/** The run of the delivery of the same kind that arrived before; there is none for the first of a kind, or a draft. */
const { found: before } = useLoaded<TextUse | undefined>(
  () => [run.id, run.state],
  async () => {
    if (!run.target?.version || run.state !== 'done') return undefined
    return answered(api.GET('/api/v1/runs/{id}/before', { params: { path: { id: run.id } } }))
  },
  true,
)

const choices = computed(() => [
  ...runs
    .filter((r) => r.id !== run.id && r.state === 'done')
    .map((r) => ({
      id: r.id,
      label: `this delivery, ${time(r.createdAt)}${r.target ? `, ${r.target.name} ${r.target.version}` : ''}`,
    })),
  ...(uses.value ?? [])
    .filter((u) => u.delivery !== run.delivery && u.state === 'done')
    .map((u) => ({ id: u.run, label: `${u.name}, ${time(u.at)}` })),
])
</script>

<template>
  <ElSelect
    v-if="choices.length > 0 || other"
    size="small"
    class="other"
    filterable
    clearable
    :model-value="other"
    placeholder="Compare with another run …"
    aria-label="Compare with"
    @change="(id: string | undefined) => emit('choose', id || undefined)"
  >
    <ElOption v-for="c in choices" :key="c.id" :value="c.id" :label="c.label" />
  </ElSelect>
  <slot v-else />
  <button v-if="before && other !== before.run" type="button" class="link" @click="emit('choose', before.run)">
    compare with the delivery before: {{ before.name }}, {{ time(before.at) }}
  </button>
</template>

<style scoped>
.other {
  width: 300px;
  max-width: 100%;
}
</style>
