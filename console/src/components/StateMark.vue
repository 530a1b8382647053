<script setup lang="ts">
import { CircleCheck, CircleClose, Clock, Connection, Loading, Remove, Warning } from '@element-plus/icons-vue'
import { ElIcon } from 'element-plus'
import { computed } from 'vue'

const { state } = defineProps<{ state: string }>()

const looks = {
  arrived: [Clock, 'husk'],
  waiting: [Clock, 'husk'],
  running: [Loading, 'grain'],
  accepted: [CircleCheck, 'leaf'],
  split: [Connection, 'grain'],
  refused: [CircleClose, 'rust'],
  failed: [Warning, 'rust'],
  cancelled: [Remove, 'husk'],
} as const

const look = computed(() => looks[state as keyof typeof looks] ?? looks.arrived)
</script>

<template>
  <span class="mark" :class="look[1]">
    <ElIcon :class="{ 'is-loading': state === 'running' }"><component :is="look[0]" /></ElIcon>{{ state }}
  </span>
</template>

<style scoped>
.mark {
  display: inline-flex;
  align-items: center;
  gap: 5px;
  font-weight: 600;
  white-space: nowrap;
}

.husk {
  color: var(--soft);
}

.grain {
  color: var(--grain);
}

.leaf {
  color: var(--leaf);
}

.rust {
  color: var(--rust);
}
</style>
