<script setup lang="ts">
import { ElButton } from 'element-plus'
import { ServiceError } from '../api/client'

const { error, retry = undefined } = defineProps<{ error: unknown; retry?: () => void }>()
</script>

<template>
  <div class="failure" role="alert">
    <p>{{ error instanceof Error ? error.message : String(error) }}</p>
    <ul v-if="error instanceof ServiceError && error.details.length > 0">
      <li v-for="d in error.details" :key="d">{{ d }}</li>
    </ul>
    <ElButton v-if="retry" size="small" @click="retry">Try again</ElButton>
  </div>
</template>

<style scoped>
.failure {
  background: var(--rust-wash);
  border-left: 4px solid var(--rust);
  padding: 10px 14px;
  border-radius: 3px;
}

p {
  margin: 0;
  overflow-wrap: anywhere;
}

ul {
  margin: 6px 0;
  padding-left: 18px;
}

.el-button {
  margin-top: 8px;
}
</style>
