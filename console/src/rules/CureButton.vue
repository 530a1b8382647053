<script setup lang="ts">
/** A suggestion as a button: what it does, and what it comes to on all rows. */
import { computed } from 'vue'
import type { Suggestion } from '../api/client'
import { count, counted } from '../format'

const { suggestion, disabled = false } = defineProps<{ suggestion: Suggestion; disabled?: boolean }>()
const emit = defineEmits<{ take: [] }>()

const effect = computed(() => suggestion.effect)
const numbers = computed(() => {
  const e = effect.value
  if (!e) return '…'
  const parts: string[] = []
  if (e.rescued > 0) parts.push(`+${count(e.rescued)}`)
  if (e.broken > 0) parts.push(`−${count(e.broken)}`)
  if (e.excluded > 0) parts.push(`${count(e.excluded)} left out`)
  return parts.join(' ')
})
const meaning = computed(() => {
  const e = effect.value
  const whose = suggestion.changes === 'target' ? 'changes what the table demands' : 'changes how this sender is read'
  if (!e) return `${whose}; being tried on all rows`
  const parts = [
    `rescues ${counted(e.rescued, 'row', 'rows')}`,
    `breaks ${count(e.broken)}`,
    `changes ${counted(e.changed, 'cell', 'cells')}`,
  ]
  if (e.excluded > 0) parts.push(`leaves ${counted(e.excluded, 'row', 'rows')} out`)
  if (e.rescued === 0 && e.excluded === 0 && suggestion.cells > 0)
    parts.push('the rows have other violations besides')
  return `${parts.join(', ')}; ${whose}`
})
</script>

<template>
  <button
    type="button"
    class="cure"
    :class="{ weak: suggestion.weakens, breaks: (effect?.broken ?? 0) > 0 }"
    :title="meaning"
    :disabled="disabled"
    @click="emit('take')"
  >
    {{ suggestion.words }}<b v-if="numbers">{{ ` ${numbers}` }}</b
    ><span v-if="effect && effect.changed > 0" class="soft">, {{ counted(effect.changed, 'cell', 'cells') }}</span>
  </button>
</template>
