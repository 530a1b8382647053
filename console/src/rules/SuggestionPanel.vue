<script setup lang="ts">
/** What would mend violations of the whole delivery: each alone, and the best order together. */
import { ElButton, ElDrawer, ElProgress } from 'element-plus'
import { computed } from 'vue'
import type { Step } from '../api/client'
import FailureNote from '../components/FailureNote.vue'
import { count, counted } from '../format'
import CureButton from './CureButton.vue'
import { inWords, useSuggestions } from './suggestions'

const { delivery, open, state } = defineProps<{ delivery: string; open: boolean; state: number }>()
const emit = defineEmits<{ close: []; change: [words: string, steps: Step[]] }>()

const { found, error, load } = useSuggestions(() => (open ? { delivery, state } : undefined))

const byID = computed(() => new Map((found.value?.items ?? []).map((s) => [s.id, s])))
const together = computed(() =>
  (found.value?.together?.taken ?? [])
    .map((t) => ({ ...t, suggestion: byID.value.get(t.id) }))
    .filter((t) => t.suggestion),
)
/** What mends, what demands more of the table, and what demands less. */
const groups = computed(() => {
  const all = found.value?.items ?? []
  return [
    { title: 'Likely', list: all.filter((s) => !s.weakens && s.kind !== 'rule') },
    { title: 'These demand more: what holds in this delivery', list: all.filter((s) => s.kind === 'rule') },
    { title: 'These demand less of the table', list: all.filter((s) => s.weakens) },
  ]
})

function takeTogether(upTo: number): void {
  const all = together.value.slice(0, upTo)
  emit(
    'change',
    all.length === 1
      ? inWords(all[0]!.suggestion!)
      : `${all.length} suggestions: ${all.map((t) => t.suggestion!.words).join('; ')}`,
    all.flatMap((t) => t.suggestion!.steps),
  )
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
    <section v-if="together.length > 0" aria-label="Together">
      <h3>In the best order</h3>
      <p>
        {{ together.length === 1 ? 'One mends' : `These ${together.length} mend` }}
        <b
          >{{ count(together.at(-1)?.rescued ?? 0) }} of
          {{ counted(found?.together?.rejected ?? 0, 'rejected row', 'rejected rows') }}</b
        >{{ together.length === 1 ? ', and breaks none.' : ', and break none.' }}
      </p>
      <ol>
        <li v-for="(t, i) in together" :key="t.id">
          {{ inWords(t.suggestion!) }} <span class="soft">{{ count(t.rescued) }} so far</span>
          <button v-if="i < together.length - 1" type="button" class="link" @click="takeTogether(i + 1)">
            take up to here
          </button>
        </li>
      </ol>
      <ElButton type="primary" size="small" @click="takeTogether(together.length)"
        >Take {{ together.length === 1 ? 'it' : `all ${together.length}` }}</ElButton
      >
    </section>
    <section v-for="g in groups" :key="g.title" :aria-label="g.title">
      <template v-if="g.list.length > 0">
        <h3>{{ g.title }}</h3>
        <ul>
          <li v-for="s in g.list" :key="s.id">
            <b class="column">{{ s.column || 'rows' }}</b>
            <CureButton :suggestion="s" @take="emit('change', inWords(s), s.steps)" />
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
