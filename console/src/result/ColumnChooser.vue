<script setup lang="ts">
/** Which columns are shown, and in which order. */
import { ElButton, ElCheckbox, ElDialog, ElInput } from 'element-plus'
import { computed, ref, watch } from 'vue'
import { counted, visible } from '../format'

const { all, shown } = defineProps<{ all: string[]; shown: string[] }>()
const emit = defineEmits<{ show: [columns: string[] | undefined] }>()
const isOpen = defineModel<boolean>({ required: true })

/** So many are listed at once. */
const mostListed = 200
const chosen = ref<string[]>([])
const find = ref('')
watch(isOpen, (is) => {
  if (!is) return
  chosen.value = [...shown]
  find.value = ''
})
const isFound = (name: string): boolean => name.toLowerCase().includes(find.value.trim().toLowerCase())
/** Those that are shown in their order, then the others as they stand. */
const listed = computed(() => {
  const is = new Set(chosen.value)
  return [...chosen.value, ...all.filter((c) => !is.has(c))].filter(isFound)
})
const place = (name: string): number => chosen.value.indexOf(name)

function toggle(name: string): void {
  chosen.value = place(name) >= 0 ? chosen.value.filter((c) => c !== name) : [...chosen.value, name]
}

function move(name: string, by: number): void {
  const [from, to] = [place(name), place(name) + by]
  if (to < 0 || to >= chosen.value.length) return
  const list = [...chosen.value]
  list.splice(to, 0, ...list.splice(from, 1))
  chosen.value = list
}

function done(): void {
  emit('show', chosen.value)
  isOpen.value = false
}

function usual(): void {
  emit('show', undefined)
  isOpen.value = false
}
</script>

<template>
  <ElDialog v-model="isOpen" title="Columns" width="min(520px, 94vw)">
    <p class="soft lead">
      {{ chosen.length }} of {{ counted(all.length, 'column', 'columns') }} are shown, in this order. It stands in the
      address, so that a link shows the same.
    </p>
    <ElInput v-model="find" size="small" placeholder="Find a column" aria-label="Find a column" clearable />
    <ul>
      <li v-for="c in listed.slice(0, mostListed)" :key="c">
        <ElCheckbox :model-value="place(c) >= 0" @change="toggle(c)">{{ visible(c) }}</ElCheckbox>
        <span v-if="place(c) >= 0" class="moves">
          <button type="button" class="link" :aria-label="`Move ${c} forward`" @click="move(c, -1)">↑</button>
          <button type="button" class="link" :aria-label="`Move ${c} back`" @click="move(c, 1)">↓</button>
        </span>
      </li>
    </ul>
    <p v-if="listed.length > mostListed" class="soft">
      {{ counted(listed.length - mostListed, 'column more', 'columns more') }}; find them by name.
    </p>
    <template #footer>
      <ElButton @click="usual">As they stand</ElButton>
      <ElButton type="primary" :disabled="chosen.length === 0" @click="done">Show these</ElButton>
    </template>
  </ElDialog>
</template>

<style scoped>
.lead {
  margin: 0 0 8px;
}

ul {
  list-style: none;
  margin: 8px 0 0;
  padding: 0;
  max-height: 46vh;
  overflow: auto;
}

li {
  display: flex;
  align-items: center;
  justify-content: space-between;
  gap: 8px;
  padding: 0 8px 0 2px;
}

li:hover {
  background: var(--husk-wash);
}

.moves {
  display: inline-flex;
  gap: 10px;
}
</style>
