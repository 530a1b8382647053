<script setup lang="ts">
/** What would mend violations of the whole delivery: each alone, and the best order together. */
import { ElButton, ElDrawer, ElProgress } from 'element-plus'
import { computed } from 'vue'
import type { Step, Suggestion } from '../api/client'
import FailureNote from '../components/FailureNote.vue'
import { count, counted } from '../format'
import CureButton from './CureButton.vue'
import { inWords, useSuggestions } from './suggestions'

const { delivery, open, state } = defineProps<{ delivery: string; open: boolean; state: number }>()
const emit = defineEmits<{ close: []; change: [words: string, steps: Step[]] }>()

const { found, error, load } = useSuggestions(() => (open ? { delivery, state } : undefined))

const byID = computed(() => new Map((found.value?.items ?? []).map((s) => [s.id, s])))

interface Taken {
  suggestion: Suggestion
  rescued: number
  broken: number
}

interface Order {
  title: string
  loses: boolean
  /** Those that it stands on, and that are taken with it. */
  upon: Taken[]
  list: Taken[]
}

/** The best orders: of what loses nothing, and of what loses values or rows on top of it. */
const orders = computed(() => {
  const of = (taken: { id: string; rescued: number; broken?: number }[] | null | undefined): Taken[] =>
    (taken ?? []).flatMap((t) => {
      const suggestion = byID.value.get(t.id)
      return suggestion ? [{ suggestion, rescued: t.rescued, broken: t.broken ?? 0 }] : []
    })
  const taken = of(found.value?.together?.taken)
  const losing = of(found.value?.together?.losing)
  const all: Order[] = [
    { title: 'In the best order', loses: false, upon: [], list: taken },
    {
      title: taken.length > 0 ? 'On top of these: what loses something' : 'What loses something',
      loses: true,
      upon: taken,
      list: losing,
    },
  ]
  return all.filter((o) => o.list.length > 0)
})

/** What mends, with and without a loss; what may; what demands more of the table, and what demands less. */
const groups = computed(() => {
  const all = found.value?.items ?? []
  const mends = all.filter((s) => !s.weakens && s.kind !== 'rule')
  return [
    { title: 'Likely', list: mends.filter((s) => !s.doubt && !s.loses && s.kind !== 'exclude') },
    {
      title: 'These lose values or rows',
      list: mends.filter((s) => !s.doubt && (s.loses || s.kind === 'exclude')),
    },
    {
      title: 'These are for you to decide: others read the same values otherwise',
      list: mends.filter((s) => s.doubt),
    },
    { title: 'These demand more: what holds in this delivery', list: all.filter((s) => s.kind === 'rule') },
    { title: 'These demand less of the table', list: all.filter((s) => s.weakens) },
  ]
})

function takeTogether(list: Taken[]): void {
  emit(
    'change',
    list.length === 1
      ? inWords(list[0]!.suggestion)
      : `${list.length} suggestions: ${list.map((t) => t.suggestion.words).join('; ')}`,
    list.flatMap((t) => t.suggestion.steps),
  )
}

/** What the button of an order says. */
function takes(o: Order): string {
  const n = o.upon.length + o.list.length
  if (o.upon.length > 0) return `Take all ${n}, with what they lose`
  return n === 1 ? 'Take it' : `Take all ${n}`
}

/** What the suggestions of an order come to, in words. */
function comesTo(o: Order): string {
  const before = o.upon.at(-1)?.rescued ?? 0
  const { rescued, broken } = o.list.at(-1)!
  const one = o.list.length === 1
  const ends =
    broken > 0
      ? `; ${counted(broken, 'row then repeats the key of one that they mend', 'rows then repeat the keys of those that they mend')}`
      : one
        ? ', and breaks none'
        : ', and break none'
  return `${one ? 'One mends' : `These ${o.list.length} mend`} ${count(rescued - before)}${before > 0 ? ' more' : ''} of ${counted(found.value?.together?.rejected ?? 0, 'rejected row', 'rejected rows')}${ends}.`
}
</script>

<template>
  <ElDrawer
    :model-value="open"
    title="Suggestions"
    :with-header="false"
    size="min(640px, 96vw)"
    @close="emit('close')"
  >
    <div class="head">
      <h2>Suggestions</h2>
      <ElButton size="small" @click="emit('close')">Close</ElButton>
    </div>
    <FailureNote v-if="error" :error="error" :retry="load" />
    <p class="soft" role="status">
      <template v-if="!found">Looking for what would mend violations …</template>
      <template v-else-if="!found.done"
        >{{
          found.tried < found.total
            ? `Trying each on all rows: ${found.tried} of ${found.total}`
            : 'Looking for the best order'
        }}
        …</template
      >
      <template v-else-if="found.items.length === 0">No change is known that would mend what is rejected.</template>
      <template v-else
        >Each was tried on all rows. Nothing is changed until you take it; what you take can be taken back.</template
      >
    </p>
    <ElProgress
      v-if="found && !found.done && found.total > 0"
      :percentage="Math.floor((100 * found.tried) / found.total)"
      aria-label="Suggestions that were tried"
    />
    <section v-for="o in orders" :key="o.title" :aria-label="o.loses ? 'Together, with a loss' : 'Together'">
      <h3>{{ o.title }}</h3>
      <p>{{ comesTo(o) }}</p>
      <ol>
        <li v-for="(t, i) in o.list" :key="t.suggestion.id">
          {{ inWords(t.suggestion) }}
          <span class="soft">{{ t.rescued > 0 ? `${count(t.rescued)} so far` : 'with the next one' }}</span>
          <button
            v-if="i < o.list.length - 1"
            type="button"
            class="link"
            data-once
            @click="takeTogether([...o.upon, ...o.list.slice(0, i + 1)])"
          >
            take up to here
          </button>
          <div v-if="t.suggestion.loses" class="soft">{{ t.suggestion.loses }}</div>
        </li>
      </ol>
      <ElButton
        :type="o.loses ? 'default' : 'primary'"
        size="small"
        data-once
        @click="takeTogether([...o.upon, ...o.list])"
        >{{ takes(o) }}</ElButton
      >
    </section>
    <section v-for="g in groups" :key="g.title" :aria-label="g.title">
      <template v-if="g.list.length > 0">
        <h3>{{ g.title }}</h3>
        <ul>
          <li v-for="s in g.list" :key="s.id">
            <b class="column">{{ s.column || 'rows' }}</b>
            <div><CureButton :suggestion="s" @take="(as) => emit('change', inWords(as), as.steps)" /></div>
          </li>
        </ul>
      </template>
    </section>
  </ElDrawer>
</template>

<style scoped>
.head {
  display: flex;
  justify-content: space-between;
  margin-bottom: 8px;
}

h3 {
  margin: 14px 0 4px;
  font-size: 15px;
}

p {
  margin: 4px 0;
}

ul {
  list-style: none;
  margin: 0;
  padding: 0;
}

ol {
  margin: 4px 0 8px;
  padding-left: 22px;
}

ul li {
  display: grid;
  grid-template-columns: 130px minmax(0, 1fr);
  gap: 8px;
  align-items: baseline;
  padding: 3px 0;
  border-top: 1px solid var(--line);
  font-size: 13px;
}

.column {
  overflow-wrap: anywhere;
}
</style>
