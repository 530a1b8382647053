<script setup lang="ts">
/** The head of a delivery's stations: what it is, and the way to the others. */
import { useRouter } from 'vue-router'
import type { Delivery, Drafts } from '../api/client'
import { size, time } from '../format'
import DeliveryActions from './DeliveryActions.vue'
import StateMark from './StateMark.vue'
import StationNav from './StationNav.vue'

const {
  id,
  delivery = undefined,
  state = undefined,
  drafts = undefined,
  changes = undefined,
} = defineProps<{
  id: string
  delivery?: Delivery
  drafts?: Drafts
  /** Changes of rules that are not saved, where they are known better than the drafts say. */
  changes?: number
  /** In place of the delivery's own state, that of the run which is shown. */
  state?: string
}>()
const emit = defineEmits<{ changed: [delivery: Delivery] }>()
const router = useRouter()
</script>

<template>
  <p class="back"><RouterLink to="/">← All deliveries</RouterLink></p>
  <div class="top head">
    <h1>{{ delivery?.name ?? 'Delivery' }}</h1>
    <template v-if="delivery">
      <StateMark :state="state ?? delivery.state" />
      <DeliveryActions :delivery="delivery" @changed="(d) => emit('changed', d)" @deleted="router.push('/')" />
    </template>
  </div>
  <p v-if="delivery" class="facts soft">
    arrived {{ time(delivery.arrivedAt)
    }}<template v-if="delivery.arrivedAs"> as {{ delivery.arrivedAs }}</template> · {{ size(delivery.bytes) }} ·
    <span :title="`SHA-256 ${delivery.sha256}`">sha256 {{ delivery.sha256.slice(0, 12) }}…</span> ·
    <a :href="`/api/v1/deliveries/${id}/content`" download>the file as it arrived</a>
    <template v-if="delivery.repeatOf">
      ·
      <RouterLink :to="`/deliveries/${delivery.repeatOf}`"
        >a repeat: the same bytes have arrived before</RouterLink
      ></template
    >
  </p>
  <p v-if="delivery?.note" class="note">{{ delivery.note }}</p>
  <section v-if="delivery?.refusal" class="refusal" aria-label="Refusal">
    <h2>This is no table</h2>
    <p>{{ delivery.refusal }}.</p>
  </section>
  <StationNav :delivery="id" :drafts="drafts" :changes="changes" :rejects="delivery?.run?.tally?.rejected" />
</template>

<style scoped>
.head {
  align-items: center;
}

.facts {
  margin: 4px 0 10px;
  overflow-wrap: anywhere;
}

.note {
  margin: 0 0 10px;
  padding: 6px 12px;
  border-left: 3px solid var(--grain);
  white-space: pre-line;
  overflow-wrap: anywhere;
}

.refusal {
  margin: 0 0 12px;
  padding: 10px 14px;
  background: var(--rust-wash);
  border-left: 4px solid var(--rust);
  border-radius: 3px;
}

.refusal p {
  margin: 4px 0 0;
}
</style>
