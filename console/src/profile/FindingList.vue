<script setup lang="ts">
/** Findings, each with the way to its rows. */
import type { Finding } from '../api/client'
import { counted } from '../format'

const { findings } = defineProps<{ findings: Finding[] }>()
const emit = defineEmits<{ rows: [finding: Finding]; rule: [finding: Finding] }>()

/** The sentence in pieces: names of columns stand in backquotes. */
const pieces = (text: string): string[] => text.split('`')
</script>

<template>
  <ol v-if="findings.length > 0" class="findings">
    <li v-for="(f, i) in findings" :key="i">
      <span><template v-for="(p, k) in pieces(f.text)" :key="k"><b v-if="k % 2 === 1">{{ p }}</b><template v-else>{{ p }}</template></template></span>
      <span class="after">
        <button v-if="f.rule" type="button" class="rule" :title="`Put into the draft of a target: ${f.rule}`" @click="emit('rule', f)">+ <code>{{ f.rule }}</code></button>
        <button v-if="f.filters" type="button" class="link" @click="emit('rows', f)">{{ counted(f.rows, 'row', 'rows') }}</button>
      </span>
    </li>
  </ol>
</template>

<style scoped>
.findings {
  margin: 8px 0 0;
  padding-left: 28px;
}

li {
  padding: 2px 0;
}

.after {
  margin-left: 10px;
  white-space: nowrap;
}

.rule {
  margin-right: 10px;
  padding: 0 6px;
  border: 1px solid var(--line);
  border-radius: 3px;
  background: none;
  color: var(--leaf);
  cursor: pointer;
}

.rule:hover {
  background: var(--leaf-wash);
}

code {
  font-size: 12px;
  white-space: pre-wrap;
}
</style>
