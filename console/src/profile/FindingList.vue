<script setup lang="ts">
/** Findings by what they weigh and by column, each with the way to its rows. */
import { computed } from 'vue'
import type { Finding, Suggestion } from '../api/client'
import { counted, visible } from '../format'
import CureButton from '../rules/CureButton.vue'
import type { Mending } from './cures'

const {
  findings,
  column = undefined,
  mending = undefined,
} = defineProps<{
  findings: Finding[]
  /** The findings are of this column, whose name need not be said. */
  column?: string
  /** What mends findings; undefined while there is no draft of rules that could be changed. */
  mending?: Mending
}>()
const emit = defineEmits<{ rows: [finding: Finding]; mend: []; cure: [suggestion: Suggestion] }>()

const weights = [
  { weight: 'breaks', words: 'Breaks a load' },
  { weight: 'may', words: 'May break one' },
  { weight: 'note', words: 'Worth knowing' },
] as const

/** Stands for what holds between columns; no column has this name. */
const between = '\u0000'

/** By weight, and in it by the column that they are of, in the order of the weightiest. */
const groups = computed(() =>
  weights
    .map((w) => {
      const byColumn = new Map<string, Finding[]>()
      for (const f of findings.filter((f) => f.weight === w.weight)) {
        const [first, second] = f.columns ?? []
        const name = second === undefined ? (first ?? '') : between
        byColumn.set(name, [...(byColumn.get(name) ?? []), f])
      }
      return { ...w, columns: [...byColumn].map(([name, list]) => ({ name, list })) }
    })
    .filter((g) => g.columns.length > 0),
)

/** A sentence in pieces: names of columns stand in backquotes. The name that heads the group is left out. */
function pieces(text: string, name: string): string[] {
  const all = text.split('`')
  if (name && all[0] === '' && all[1] === name) {
    const rest = (all[2] ?? '').replace(/^[: ]+/, '')
    return [rest, ...all.slice(3)]
  }
  return all
}
</script>

<template>
  <section v-for="g in groups" :key="g.weight" class="group" :class="g.weight" :aria-label="g.words">
    <h3>{{ g.words }}</h3>
    <div v-for="c in g.columns" :key="c.name" class="of">
      <b v-if="column === undefined" class="name">{{
        c.name === between ? 'between columns' : c.name ? visible(c.name) : 'rows'
      }}</b>
      <ul>
        <li v-for="f in c.list" :key="f.code + f.text">
          <span
            ><template v-for="(p, k) in pieces(f.text, c.name)" :key="k"
              ><b v-if="k % 2 === 1">{{ p }}</b
              ><template v-else>{{ p }}</template></template
            ></span
          >
          <span class="after">
            <button v-if="f.filters" type="button" class="link" @click="emit('rows', f)">
              {{ counted(f.rows, 'row', 'rows') }}
            </button>
            <button
              v-if="!mending && (f.rule || g.weight !== 'note')"
              type="button"
              class="link"
              @click="emit('mend')"
            >
              mend…
            </button>
            <span v-if="mending?.isDealtWith(f)" class="dealt">✓ the rules deal with it</span>
            <RouterLink
              v-if="column === undefined && mending?.ruleOf(f.columns?.[0])"
              :to="mending.ruleOf(f.columns?.[0])!"
              class="rule"
              >its rule →</RouterLink
            >
          </span>
          <span v-if="mending?.cures.get(f)" class="cures"
            ><CureButton
              v-for="s in mending.cures.get(f)"
              :key="s.id"
              :suggestion="s"
              @take="(as) => emit('cure', as)"
          /></span>
        </li>
      </ul>
    </div>
  </section>
</template>

<style scoped>
.group {
  margin-top: 12px;
  padding-left: 10px;
  border-left: 3px solid var(--husk);
}

.breaks {
  border-color: var(--rust);
}

.may {
  border-color: var(--grain);
}

h3 {
  font-size: 14.5px;
  margin-bottom: 2px;
}

.breaks h3 {
  color: var(--rust);
}

.may h3 {
  color: var(--grain);
}

.of {
  display: grid;
  grid-template-columns: minmax(90px, 150px) minmax(0, 1fr);
  gap: 0 12px;
  padding: 3px 0;
}

.of > ul:first-child {
  grid-column: 1 / -1;
}

.name {
  overflow-wrap: anywhere;
}

ul {
  list-style: none;
  margin: 0;
  padding: 0;
}

li {
  overflow-wrap: anywhere;
}

.after {
  margin-left: 10px;
}

.after > * + * {
  margin-left: 10px;
}

.dealt {
  color: var(--leaf);
  white-space: nowrap;
}

.rule {
  white-space: nowrap;
}

.cures {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 6px;
  margin: 2px 0 4px;
}

@media (max-width: 640px) {
  .of {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
