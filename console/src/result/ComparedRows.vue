<script setup lang="ts">
/** How many rows of an outcome differ from those of an earlier one: each kind can be chosen. */
import { computed } from 'vue'
import type { Compared } from '../api/client'
import { count, counted, visible } from '../format'
import type { KindName, SideName } from './question'

const {
  compared,
  kind = undefined,
  side = 'accepted',
  differs = undefined,
} = defineProps<{
  compared: Compared
  /** The kind that is shown, and of rows that moved the side. */
  kind?: KindName
  side?: SideName
  /** The column in which the rows that are shown differ. */
  differs?: string
}>()
const emit = defineEmits<{ choose: [kind: KindName, side: SideName]; narrow: [column: string | undefined] }>()

interface Kind {
  kind: KindName
  side: SideName
  words: string
  title: string
  rows: number
}
const isOneDelivery = computed(() => compared.by.length === 0)
const movedTo = (to: SideName): number => compared.moves.filter((m) => m.is === to).reduce((n, m) => n + m.rows, 0)
const all = computed<Kind[]>(() => [
  {
    kind: 'new',
    side: 'accepted',
    words: isOneDelivery.value ? 'accepted now' : 'new',
    title: isOneDelivery.value ? 'Accepted, and not before' : 'Accepted, and not among the rows of the other run',
    rows: compared.new,
  },
  {
    kind: 'gone',
    side: 'accepted',
    words: isOneDelivery.value ? 'accepted no longer' : 'gone',
    title: 'Only the other run accepted them',
    rows: compared.gone,
  },
  {
    kind: 'changed',
    side: 'accepted',
    words: 'changed',
    title: 'Both accepted them, with other values',
    rows: compared.changed,
  },
  ...(isOneDelivery.value
    ? [
        {
          kind: 'moved' as const,
          side: 'rejected' as const,
          words: 'rejected now',
          title: 'Rejected, and not before',
          rows: movedTo('rejected'),
        },
        {
          kind: 'moved' as const,
          side: 'excluded' as const,
          words: 'left out now',
          title: 'Left out, and not before',
          rows: movedTo('excluded'),
        },
      ]
    : []),
])
const isShown = (k: Kind): boolean => k.kind === kind && (k.kind !== 'moved' || k.side === side)
/** So many columns are offered. */
const mostColumns = 40
</script>

<template>
  <div class="kinds" role="group" aria-label="Rows that differ">
    <button
      v-for="k in all"
      :key="k.words"
      type="button"
      class="kind"
      :aria-pressed="isShown(k)"
      :disabled="k.rows === 0"
      :title="k.title"
      @click="emit('choose', k.kind, k.side)"
    >
      <span class="number">{{ count(k.rows) }}</span> {{ k.words }}
    </button>
    <span class="soft"
      >{{ count(compared.same) }} the same<template v-if="compared.by.length > 0"
        >, by {{ compared.by.map(visible).join(', ') }}</template
      ></span
    >
  </div>
  <div v-if="kind === 'changed'" class="kinds narrow" role="group" aria-label="Column that differs">
    <span v-if="compared.differing.length === 0" class="soft">
      In which columns so many rows differ is not told.
    </span>
    <template v-else>
      <span class="soft">in</span>
      <button type="button" class="kind" :aria-pressed="!differs" @click="emit('narrow', undefined)">
        any column
      </button>
      <button
        v-for="d in compared.differing.slice(0, mostColumns)"
        :key="d.column"
        type="button"
        class="kind"
        :aria-pressed="d.column === differs"
        :title="counted(d.rows, 'row differs', 'rows differ')"
        @click="emit('narrow', d.column)"
      >
        {{ visible(d.column) }} <span class="number">{{ count(d.rows) }}</span>
      </button>
      <span v-if="compared.differing.length > mostColumns" class="soft">
        and {{ counted(compared.differing.length - mostColumns, 'column', 'columns') }} more
      </span>
    </template>
  </div>
</template>

<style scoped>
.kinds {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 4px 6px;
}

.narrow {
  margin-top: 6px;
}

.kind {
  padding: 2px 10px;
  border: 1px solid var(--line);
  border-radius: 3px;
  background: none;
  color: inherit;
  font: inherit;
  cursor: pointer;
}

.kind:disabled {
  color: var(--soft);
  cursor: default;
}

.kind[aria-pressed='true'] {
  border-color: var(--grain);
  background: var(--grain-wash);
  font-weight: 600;
}
</style>
