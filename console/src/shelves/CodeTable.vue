<script setup lang="ts">
/** The codes of a list, found by what they and their labels hold. */
import { ElInput } from 'element-plus'
import { computed, ref } from 'vue'
import { count, counted, visible } from '../format'

const { text } = defineProps<{ text: string }>()

/** So many codes are shown at once. */
const most = 500
const word = ref('')
const codes = computed(() => {
  const w = word.value.trim().toLowerCase()
  const lines = text
    .split(/\r?\n/)
    .slice(1)
    .filter((l) => l.trim() !== '')
  const found = lines.filter((l) => l.toLowerCase().includes(w))
  return { all: lines.length, shown: found.slice(0, most), found: found.length }
})
</script>

<template>
  <div class="bar">
    <ElInput
      v-model="word"
      size="small"
      clearable
      placeholder="Find a code"
      aria-label="Find a code"
      class="find"
    /><span class="soft"
      >{{ counted(codes.all, 'code', 'codes')
      }}<template v-if="codes.found > codes.shown.length"
        >; the first {{ codes.shown.length }} of {{ count(codes.found) }} found</template
      ></span
    >
  </div>
  <table>
    <tbody>
      <tr v-for="(c, i) in codes.shown" :key="i">
        <td>{{ visible(c) }}</td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.bar {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px 12px;
  padding: 8px 12px;
}

.find {
  width: 240px;
}

table {
  width: 100%;
  border-collapse: collapse;
  font-size: 13px;
}

td {
  padding: 3px 12px;
  border-top: 1px solid var(--line);
}
</style>
