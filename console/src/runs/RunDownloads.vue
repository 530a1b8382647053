<script setup lang="ts">
import { Document, Download } from '@element-plus/icons-vue'
import { ElButton, ElIcon, ElOption, ElSelect } from 'element-plus'
import { computed, ref, watch } from 'vue'
import type { Run } from '../api/client'
import { counted } from '../format'
import FormDialog from './FormDialog.vue'

/** What a run has written, and its accepted rows in any form. */
const { run } = defineProps<{ run: Run }>()

/** How downloads are made; kept for the next time. */
const ways = [
  { value: '', label: 'as they are: UTF-8, commas' },
  { value: 'spreadsheet', label: 'for spreadsheets: with a byte order mark' },
  { value: 'spreadsheet-semicolon', label: 'for spreadsheets: byte order mark and semicolons' },
]
const way = ref(ways.find((w) => w.value === localStorage.getItem('sieb.downloads'))?.value ?? '')
watch(way, (is) => localStorage.setItem('sieb.downloads', is))

const usual = [
  { name: 'accepted', file: 'accepted.csv', words: 'Accepted rows' },
  { name: 'rejected', file: 'rejected.csv', words: 'Rejected rows' },
  { name: 'excluded', file: 'excluded.csv', words: 'Excluded rows' },
  { name: 'violations', file: 'violations.csv', words: 'Violations' },
  { name: 'manifest', file: 'manifest.json', words: 'Manifest' },
]

const outputs = computed(() => {
  const known = usual.filter((o) => o.name !== 'excluded' || run.tally?.excluded)
  const others = Object.keys(run.outputs ?? {}).filter((name) => !usual.some((o) => o.name === name))
  return [
    ...known.slice(0, 1),
    ...others.map((name) => ({ name, file: name, words: 'Accepted rows' })),
    ...known.slice(1),
  ].map((o) => {
    const link = run.outputs?.[o.name]
    return { ...o, link: link && way.value && o.file.endsWith('.csv') ? `${link}?for=${way.value}` : link }
  })
})

const isOpen = ref(false)
</script>

<template>
  <div class="downloads">
    <template v-for="o in outputs" :key="o.name">
      <a :href="o.link" download class="download">
        <ElIcon><Document v-if="o.name === 'manifest'" /><Download v-else /></ElIcon>{{ o.words }}
        <span class="soft">{{ o.file }}</span>
      </a>
      <ElButton v-if="o.name === 'accepted' && run.tally?.accepted" size="small" @click="isOpen = true">
        in another form
      </ElButton>
    </template>
    <ElSelect
      v-model="way"
      :empty-values="[null, undefined]"
      size="small"
      class="form"
      aria-label="How downloads are made"
    >
      <ElOption v-for="w in ways" :key="w.value" :value="w.value" :label="w.label" />
    </ElSelect>
  </div>
  <FormDialog
    v-model="isOpen"
    :run="run.id"
    title="Accepted rows in another form"
    :lead="`${counted(run.tally?.accepted ?? 0, 'row', 'rows')}, as the run accepted them.`"
  />
</template>

<style scoped>
.downloads {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px;
  margin-top: 14px;
}

.download {
  display: inline-flex;
  align-items: center;
  gap: 6px;
  padding: 5px 10px;
  border: 1px solid var(--line);
  border-radius: 3px;
  text-decoration: none;
  color: var(--ink);
}

.download:hover {
  background: var(--grain-wash);
}

.form {
  width: 250px;
}
</style>
