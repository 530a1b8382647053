<script setup lang="ts">
import type { components } from '../api/schema'
import { counted, time } from '../format'

/** What broke work off that is tried again. */
const { trouble = undefined } = defineProps<{ trouble?: components['schemas']['Trouble'] }>()
</script>

<template>
  <p v-if="trouble" role="status">
    <template v-if="trouble.tries > 0"
      >Broken off {{ counted(trouble.tries, 'time', 'times') }}: {{ trouble.reason }}.
    </template>
    <template v-if="trouble.deaths > 0"
      >The service ended {{ counted(trouble.deaths, 'time', 'times') }} while it worked on this; after the third time
      it is given up.
    </template>
    <template v-if="trouble.nextAt">It is tried again {{ time(trouble.nextAt) }}.</template>
  </p>
</template>
