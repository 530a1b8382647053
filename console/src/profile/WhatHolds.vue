<script setup lang="ts">
/** Keys, and relations between columns, that hold in the delivery or nearly do. */
import type { Profile } from '../api/client'
import { count, counted, visible } from '../format'

const { profile } = defineProps<{ profile: Profile }>()

type Key = Profile['keys'][number]
type Relation = Profile['relations'][number]

const keyWords = (k: Key): string =>
  `${k.columns.map(visible).join(', ')} ${k.columns.length === 1 ? 'tells' : 'together tell'} rows apart` +
  (k.repeats ? `, save ${count(k.repeats)}` : '')

function relationWords(r: Relation): string {
  const [first = '', ...others] = r.columns.map(visible)
  const verbs: Record<string, string> = { sum: '=', equal: 'is the same as', order: 'is never after' }
  const verb = verbs[r.kind] ?? 'tells'
  const exceptions = r.exceptions ? `, save in ${counted(r.exceptions, 'row', 'rows')}` : ''
  return `${first} ${verb} ${r.kind === 'sum' ? others.join(' + ') : (others[0] ?? '')}${exceptions}`
}
</script>

<template>
  <template v-if="profile.keys.length > 0 || profile.relations.length > 0">
    <h3>What holds</h3>
    <ul>
      <li v-for="k in profile.keys" :key="k.columns.join()">{{ keyWords(k) }}</li>
      <li v-for="r in profile.relations" :key="r.kind + r.columns.join()">{{ relationWords(r) }}</li>
    </ul>
  </template>
</template>

<style scoped>
h3 {
  font-size: 15px;
  margin: 14px 0 4px;
}

ul {
  margin: 0;
  padding-left: 28px;
}
</style>
