<script setup lang="ts">
/** By which target and mapping a delivery is worked on. */
import type { Rules } from '../api/client'

const { rules } = defineProps<{ rules: Rules }>()
const versioned = (t: Rules['target']): string =>
  t.version === 0 ? 'not saved yet' : `version ${t.version}${t.changed ? ', changed' : ''}`
</script>

<template>
  <span
    >into <b>{{ rules.target.name }}</b> <span class="soft">{{ versioned(rules.target) }}</span><template
      v-if="rules.mapping"
    >
      by mapping <b>{{ rules.mapping.name }}</b> <span class="soft">{{ versioned(rules.mapping) }}</span></template
    ></span
  >
</template>
