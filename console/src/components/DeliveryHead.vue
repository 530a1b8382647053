<script setup lang="ts">
/** The head of a delivery's stations: what it is, and the way to the others. */
import type { Delivery } from '../api/client'
import { size, time } from '../format'
import StateMark from './StateMark.vue'
import StationNav from './StationNav.vue'

const { id, delivery = undefined } = defineProps<{ id: string; delivery?: Delivery }>()
</script>

<template>
  <p class="back"><RouterLink to="/">← All deliveries</RouterLink></p>
  <div class="top head">
    <h1>{{ delivery?.name ?? 'Delivery' }}</h1>
    <StateMark v-if="delivery" :state="delivery.state" />
    <span v-if="delivery" class="soft">{{ size(delivery.bytes) }}, arrived {{ time(delivery.arrivedAt) }}</span>
  </div>
  <StationNav :delivery="id" />
</template>

<style scoped>
.head {
  margin-bottom: 10px;
}
</style>
