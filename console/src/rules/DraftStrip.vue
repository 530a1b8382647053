<script setup lang="ts">
/** The draft of rules, where something else is looked at: what it comes to, and the way to it. */
import { useRouter } from 'vue-router'
import FailureNote from '../components/FailureNote.vue'
import type { RulesBook } from './draft'
import RulesName from './RulesName.vue'
import TallyStrip from './TallyStrip.vue'
import UndoButtons from './UndoButtons.vue'

const { delivery, work } = defineProps<{ delivery: string; work: RulesBook }>()
const router = useRouter()
</script>

<template>
  <section v-if="work.rules.value" class="sheet draft" aria-label="Draft of rules">
    <TallyStrip
      :rehearsal="work.rehearsal.value"
      :old="work.isOld.value"
      :changed="work.rules.value.changes.length"
      :since="work.since.value"
      @shifted="router.push(`/deliveries/${delivery}/rules?rows=changed`)"
    >
      <UndoButtons :work="work" />
      <RouterLink :to="`/deliveries/${delivery}/rules`" class="on">on to the rules →</RouterLink>
    </TallyStrip>
    <p><RulesName :rules="work.rules.value" /> <slot /></p>
    <FailureNote v-if="work.error.value" :error="work.error.value" />
  </section>
</template>

<style scoped>
.draft {
  margin-bottom: 10px;
}

p {
  margin: 0;
  padding: 0 12px 8px;
  font-size: 13px;
}

.on {
  align-self: center;
  margin-left: 6px;
}
</style>
