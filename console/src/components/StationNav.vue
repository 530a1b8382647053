<script setup lang="ts">
/** The stations of a delivery, in the order of a steward's day. */
const { delivery } = defineProps<{ delivery: string }>()
</script>

<template>
  <nav class="stations" aria-label="Stations of the delivery">
    <RouterLink :to="`/deliveries/${delivery}/reading`" exact-active-class="here">Reading</RouterLink>
    <RouterLink :to="`/deliveries/${delivery}/profile`" exact-active-class="here">Profile</RouterLink>
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
