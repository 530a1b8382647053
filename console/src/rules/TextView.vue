<script setup lang="ts">
/** Target and mapping as text, for those who like it: what is changed elsewhere changes here, and the other way round. */
import { ElButton, ElInput } from 'element-plus'
import { ref, watch } from 'vue'
import type { Rules, Step } from '../api/client'

const { rules, change } = defineProps<{ rules: Rules; change: (words: string, steps: Step[]) => Promise<boolean> }>()

const target = ref(rules.target.text)
const mapping = ref(rules.mapping?.text ?? '')

watch(
  () => rules,
  (is, was) => {
    if (target.value === was.target.text) target.value = is.target.text
    if (mapping.value === (was.mapping?.text ?? '')) mapping.value = is.mapping?.text ?? ''
  },
)

async function put(into: 'target' | 'mapping', text: string): Promise<void> {
  if (await change(`the text of the ${into}`, [{ in: into, do: 'write', value: text }])) {
    if (into === 'target') target.value = rules.target.text
    else mapping.value = rules.mapping?.text ?? ''
  }
}
</script>

<template>
  <div class="texts">
    <section class="sheet" aria-label="Target as text">
      <div class="head">
        <h2>Target {{ rules.target.name }}</h2>
        <template v-if="target !== rules.target.text">
          <ElButton size="small" type="primary" @click="put('target', target)">Use the text</ElButton>
          <ElButton size="small" @click="target = rules.target.text">Discard</ElButton>
        </template>
      </div>
      <ElInput
        v-model="target"
        type="textarea"
        :autosize="{ minRows: 12, maxRows: 40 }"
        spellcheck="false"
        aria-label="Text of the target"
      />
    </section>
    <section v-if="rules.mapping" class="sheet" aria-label="Mapping as text">
      <div class="head">
        <h2>Mapping {{ rules.mapping.name }}</h2>
        <template v-if="mapping !== rules.mapping.text">
          <ElButton size="small" type="primary" @click="put('mapping', mapping)">Use the text</ElButton>
          <ElButton size="small" @click="mapping = rules.mapping.text">Discard</ElButton>
        </template>
      </div>
      <ElInput
        v-model="mapping"
        type="textarea"
        :autosize="{ minRows: 8, maxRows: 40 }"
        spellcheck="false"
        aria-label="Text of the mapping"
      />
    </section>
  </div>
</template>

<style scoped>
.texts {
  display: grid;
  gap: 10px;
}

.head {
  display: flex;
  align-items: baseline;
  gap: 10px;
  padding: 8px 12px;
}

.head .el-button {
  margin: 0;
}

.texts :deep(textarea) {
  font-family: 'DejaVu Sans Mono', Consolas, monospace;
  font-size: 12.5px;
  white-space: pre;
}
</style>
