<script setup lang="ts">
/** What others do to the same draft, or to what it began with, and what becomes of one's own changes. */
import { ElButton } from 'element-plus'
import { computed } from 'vue'
import { counted, time } from '../format'
import type { RulesBook } from './draft'

const { work } = defineProps<{ work: RulesBook }>()

const shown = 5
const others = computed(() => work.others.value.slice(-shown))
const who = computed(() => [...new Set(work.others.value.map((c) => c.by || 'somebody'))].join(' and '))
const changes = computed(() => work.rules.value?.changes.length ?? 0)

/** Versions that were saved since the draft began. */
const newer = computed(() => {
  const r = work.rules.value
  const all = [
    { what: 'target', shelf: 'targets', text: r?.target },
    { what: 'mapping', shelf: 'mappings', text: r?.mapping },
  ]
  return all.flatMap(({ what, shelf, text }) => (text?.newest ? [{ what, shelf, text, newest: text.newest }] : []))
})
const numbers = computed(() => newer.value.map((n) => n.newest.version).join(' and '))
</script>

<template>
  <div v-if="work.held.value" class="told" role="alert">
    <p>
      Meanwhile the same was changed by {{ who || 'somebody' }}. Your change “{{ work.held.value.words }}” is not made
      yet.
    </p>
    <ElButton size="small" type="primary" @click="work.settle(true)">Make it</ElButton>
    <ElButton size="small" @click="work.settle(false)">Leave it</ElButton>
  </div>
  <div v-if="others.length > 0" class="told" role="status">
    <p>
      Changed meanwhile by {{ who }}<template v-if="work.others.value.length > shown">, the last {{ shown }}</template
      >:
      <template v-for="(c, i) in others" :key="c.id ?? c.at + c.words"
        ><template v-if="i > 0">; </template>“{{ c.words }}”</template
      >. Your own changes stand.
    </p>
    <ElButton size="small" @click="work.forget()">Seen</ElButton>
  </div>
  <div v-if="work.foreign.value" class="told" role="alert">
    <p>{{ work.foreign.value }}.</p>
    <ElButton size="small" @click="work.undo(true)">Take it back</ElButton>
    <ElButton size="small" @click="work.forget()">Leave it</ElButton>
  </div>
  <div v-for="n in newer" :key="n.what" class="told" role="status">
    <p>
      Version {{ n.newest.version }} of the {{ n.what }} {{ n.text.name }} was saved
      {{ n.newest.by ? `by ${n.newest.by}, ` : '' }}{{ time(n.newest.at) }}. What you see here, and what runs, is
      version {{ n.text.version }}{{ n.text.changed ? ' with your changes' : '' }}.
      <RouterLink :to="`/${n.shelf}/${n.text.name}?from=${n.text.version}&to=${n.newest.version}&view=versions`"
        >what differs</RouterLink
      >
    </p>
  </div>
  <p v-if="newer.length > 0" class="go">
    <ElButton size="small" type="primary" :disabled="work.isBusy.value" @click="work.rebase()">{{
      changes > 0
        ? `Put my ${counted(changes, 'change', 'changes')} on version ${numbers}`
        : `Go on with version ${numbers}`
    }}</ElButton>
  </p>
</template>

<style scoped>
.go {
  margin: 0 0 8px;
}
</style>
