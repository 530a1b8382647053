<script setup lang="ts">
/** The stations of a delivery, in the order of a steward's day. */
import type { Drafts } from '../api/client'

const { delivery, drafts = undefined } = defineProps<{ delivery: string; drafts?: Drafts }>()
</script>

<template>
  <nav class="stations" aria-label="Stations of the delivery">
    <RouterLink :to="`/deliveries/${delivery}/reading`" exact-active-class="here">Reading<span v-if="drafts?.layout" class="draft" title="The layout has changes that are not saved">not saved</span></RouterLink>
    <RouterLink :to="`/deliveries/${delivery}/profile`" exact-active-class="here">Profile<span v-if="drafts?.target" class="draft" title="A target is drafted and not added">draft</span></RouterLink>
    <RouterLink :to="`/deliveries/${delivery}`" exact-active-class="here">Sifting</RouterLink>
  </nav>
</template>

<style scoped>
.stations {
  display: flex;
  gap: 2px;
  margin: 0 0 12px;
  border-bottom: 1px solid var(--line);
}

.stations a {
  padding: 6px 14px;
  color: var(--ink);
  text-decoration: none;
  border: 1px solid transparent;
  border-bottom: 0;
  border-radius: 4px 4px 0 0;
}

.draft {
  margin-left: 6px;
  padding: 0 5px;
  border: 1px solid var(--grain);
  border-radius: 8px;
  font-size: 11.5px;
  font-weight: 400;
  color: var(--grain);
}

.stations a:hover {
  background: var(--husk-wash);
}

.stations a.here {
  background: var(--sheet);
  border-color: var(--line);
  box-shadow: inset 0 3px 0 var(--grain);
  font-weight: 600;
  margin-bottom: -1px;
  padding-bottom: 7px;
}
</style>
