<script setup lang="ts">
/** The sides of an outcome with their rows, and the way to a row of the delivery. */
import { ElButton, ElInput, ElOption, ElSelect } from 'element-plus'
import { ref } from 'vue'
import { count } from '../format'
import type { RowsBook } from './asking'
import { sides, type QuestionBook } from './question'

const { question, rows } = defineProps<{ question: QuestionBook; rows: RowsBook }>()

const wanted = ref('')
const by = ref<'row' | 'line'>('row')
/** Why it was not gone to a row. */
const lost = ref('')

async function goTo(): Promise<void> {
  lost.value = ''
  const n = Number(wanted.value.replace(/[^0-9]/g, ''))
  if (n < 1) return
  try {
    const place = await rows.placeOf(by.value, n)
    question.goTo(place.side, place.at, place.row)
    wanted.value = ''
  } catch (e) {
    lost.value = e instanceof Error ? e.message : String(e)
  }
}
</script>

<template>
  <div class="sides" role="group" aria-label="Side">
    <button
      v-for="s in sides"
      :key="s"
      type="button"
      class="side"
      :aria-pressed="s === question.side.value && !question.isProfile.value && !question.kind.value"
      @click="question.setSide(s)"
    >
      {{ s
      }}<template v-if="rows.rowsOf(s) !== undefined"
        >{{ ' ' }}<span class="number">{{ count(rows.rowsOf(s)!) }}</span></template
      >
    </button>
    <button type="button" class="side" :aria-pressed="question.isProfile.value" @click="question.showProfile">
      profile
    </button>
    <span class="tools">
      <form class="go" @submit.prevent="goTo">
        <ElSelect v-model="by" size="small" class="by" aria-label="Go to a row or a line">
          <ElOption value="row" label="row" />
          <ElOption value="line" label="line" />
        </ElSelect>
        <ElInput v-model="wanted" size="small" placeholder="number" aria-label="Number of a row" />
        <ElButton size="small" native-type="submit" :disabled="wanted === ''">Go to</ElButton>
      </form>
      <slot />
    </span>
  </div>
  <p v-if="lost" class="note" role="alert">{{ lost }}</p>
</template>

<style scoped>
.sides {
  display: flex;
  flex-wrap: wrap;
  gap: 2px;
  padding: 6px 12px 0;
  border-bottom: 1px solid var(--line);
}

.side {
  padding: 5px 14px;
  border: 0;
  border-bottom: 3px solid transparent;
  background: none;
  color: inherit;
  font: inherit;
  cursor: pointer;
}

.side[aria-pressed='true'] {
  border-color: var(--grain);
  font-weight: 600;
}

.note {
  margin: 0;
  padding: 10px 14px;
}

.tools,
.go {
  display: inline-flex;
  flex-wrap: wrap;
  gap: 6px;
}

.tools {
  margin-left: auto;
  padding-bottom: 6px;
}

.tools :deep(.el-button) {
  margin: 0;
}

.go .el-input {
  width: 80px;
}

.by {
  width: 68px;
}
</style>
