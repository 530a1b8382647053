<script setup lang="ts">
/** The stations of a delivery, in the order of a steward's day. */
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import type { Drafts } from '../api/client'
import { count } from '../format'

const {
  delivery,
  drafts = undefined,
  changes = undefined,
  rejects = undefined,
} = defineProps<{
  delivery: string
  drafts?: Drafts
  /** Changes of rules that are not saved, where they are known better than the drafts say. */
  changes?: number
  /** Rows that the newest run has rejected. */
  rejects?: number
}>()
const route = useRoute()
/** The delivery's own address shows the same. */
const isRejects = computed(() => route.path === `/deliveries/${delivery}`)
const isUnsaved = computed(() => (changes ?? drafts?.rules?.changes ?? 0) > 0)
</script>

<template>
  <nav class="stations" aria-label="Stations of the delivery">
    <RouterLink :to="`/deliveries/${delivery}/reading`" exact-active-class="here"
      >Reading<span v-if="drafts?.layout" class="draft" title="The layout has changes that are not saved"
        >not saved</span
      ></RouterLink
    >
    <RouterLink :to="`/deliveries/${delivery}/profile`" exact-active-class="here">Profile</RouterLink>
    <RouterLink :to="`/deliveries/${delivery}/rules`" exact-active-class="here"
      >Rules<span v-if="isUnsaved" class="draft" title="The rules have changes that are not saved"
        >not saved</span
      ></RouterLink
    >
    <RouterLink :to="`/deliveries/${delivery}/result`" exact-active-class="here">Result</RouterLink>
    <RouterLink :to="`/deliveries/${delivery}/rejects`" :class="{ here: isRejects }" exact-active-class="here"
      >Rejects<span v-if="rejects !== undefined" class="number">{{ count(rejects) }}</span></RouterLink
    >
  </nav>
</template>

<style scoped>
.stations {
  display: flex;
  gap: 2px;
  margin: 0 0 12px;
  overflow-x: auto;
  white-space: nowrap;
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

.number {
  margin-left: 6px;
  color: var(--soft);
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
