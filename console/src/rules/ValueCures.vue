<script setup lang="ts">
/** A value of a column that is to be another one, or none. */
import { ElButton, ElInput } from 'element-plus'
import { ref } from 'vue'
import { visible } from '../format'

const { value } = defineProps<{ value: string }>()
const emit = defineEmits<{ missing: []; recode: [to: string] }>()
const isOpen = ref(false)
const to = ref('')

function recode(): void {
  if (to.value === value) return
  emit('recode', to.value)
  isOpen.value = false
}
</script>

<template>
  <span class="cures">
    <button type="button" class="link" :aria-label="`Treat as missing: ${visible(value)}`" @click="emit('missing')">
      missing
    </button>
    <button
      type="button"
      class="link"
      :aria-label="`Recode: ${visible(value)}`"
      :aria-expanded="isOpen"
      @click="isOpen = !isOpen"
    >
      recode
    </button>
    <form v-if="isOpen" @submit.prevent="recode" @keydown.esc.stop="isOpen = false">
      <ElInput v-model="to" size="small" :aria-label="`Another value for ${visible(value)}`" placeholder="is to be" />
      <ElButton size="small" native-type="submit" :disabled="to === value">Recode</ElButton>
    </form>
  </span>
</template>

<style scoped>
.cures,
form {
  display: inline-flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 2px 8px;
}

form {
  flex-wrap: nowrap;
}
</style>
