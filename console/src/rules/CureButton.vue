<script setup lang="ts">
/** A suggestion as a button: what it does, what it comes to on all rows, what it loses, and with what other values. */
import { computed } from 'vue'
import type { Suggestion } from '../api/client'
import { count, counted } from '../format'

const { suggestion, disabled = false } = defineProps<{ suggestion: Suggestion; disabled?: boolean }>()
const emit = defineEmits<{ take: [as: Suggestion] }>()

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
    e.repeats
      ? `${counted(e.broken, 'row', 'rows')} then repeat the key of a rescued one`
      : `breaks ${count(e.broken)}`,
    `changes ${counted(e.changed, 'cell', 'cells')}`,
  ]
  if (e.excluded > 0) parts.push(`leaves ${counted(e.excluded, 'row', 'rows')} out`)
  if (e.rescued === 0 && e.excluded === 0 && suggestion.cells > 0)
    parts.push('the rows have other violations besides')
  return `${parts.join(', ')}; ${whose}`
})

/** The suggestion with another value. */
const chosen = (c: NonNullable<Suggestion['choices']>[number]): Suggestion => ({
  ...suggestion,
  words: c.words,
  steps: c.steps,
})
</script>

<template>
  <button
    type="button"
    class="cure"
    :class="{ weak: suggestion.weakens, breaks: (effect?.broken ?? 0) > 0 }"
    :title="meaning"
    :disabled="disabled"
    data-once
    @click="emit('take', suggestion)"
  >
    {{ suggestion.words }}<b v-if="numbers">{{ ` ${numbers}` }}</b
    ><span v-if="effect && effect.changed > 0" class="soft">, {{ counted(effect.changed, 'cell', 'cells') }}</span>
  </button>
  <span v-if="suggestion.choices" class="choices"
    ><template v-for="c in suggestion.choices" :key="c.value"
      >{{ ' '
      }}<button
        type="button"
        class="link"
        :disabled="disabled"
        :aria-label="c.words"
        data-once
        @click="emit('take', chosen(c))"
      >
        or to {{ c.value
        }}<template v-if="c.effect && c.effect.rescued > 0"> +{{ count(c.effect.rescued) }}</template>
      </button></template
    ></span
  >
  <span v-if="suggestion.doubt" class="warns">in doubt: {{ suggestion.doubt }}</span>
  <span v-else-if="suggestion.loses" class="warns">loses: {{ suggestion.loses }}</span>
</template>

<style scoped>
.choices {
  font-size: 13px;
}

.warns {
  color: var(--soft);
  font-size: 13px;
}
</style>
