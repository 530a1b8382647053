<script setup lang="ts">
/** Several columns that are changed together. */
import { ElButton, ElOption, ElSelect } from 'element-plus'
import { computed, ref } from 'vue'
import type { Property, RemedyHelp, Step } from '../api/client'
import { counted } from '../format'
import { datatypeSteps, habitIn, remedyAdded, setting, textsOf, type ColumnSpec } from './model'
import { datatypeWord, demands, habits } from './fields'
import PropertyField from './PropertyField.vue'

const { columns, help } = defineProps<{ columns: ColumnSpec[]; help: RemedyHelp[] }>()
const emit = defineEmits<{ change: [words: string, steps: Step[]]; done: [] }>()

const names = computed(() => columns.map((c) => c.name))
const of = (name: string): Property => [...demands(), ...habits()].find((p) => p.name === name)!
const chosen = ref('')
/** Remedies that are given nothing, and so fit many columns alike. */
const plain = computed(() => help.filter((h) => !(h.parameters ?? []).some((p) => p.required)))

function every(words: string, step: (c: ColumnSpec) => Step | undefined): void {
  const steps = columns.map(step).filter((s) => s !== undefined)
  if (steps.length > 0) emit('change', `${counted(columns.length, 'column', 'columns')}: ${words}`, steps)
}

const demand = (name: string, v: unknown): void =>
  every(`${of(name).label.toLowerCase()} ${v === undefined ? 'as usual' : v === true ? 'yes' : String(v)}`, (c) =>
    setting('target', c.name, name, v),
  )

/** Gives all of them a datatype; what does not go with it is taken away. */
function retype(v: unknown): void {
  const steps = columns.flatMap((c) => datatypeSteps(c, v))
  if (steps.length === 0) return
  const words = `${of('datatype').label.toLowerCase()} ${datatypeWord(String(v ?? 'string'))}`
  emit('change', `${counted(columns.length, 'column', 'columns')}: ${words}`, steps)
}

function missing(v: unknown): void {
  const texts = textsOf(v)
  every(`missing ${texts.map((t) => (t === '' ? 'empty' : t)).join(', ')}`, (c) => ({
    in: habitIn(c),
    do: 'set',
    path: ['columns', c.name, 'null'],
    value: texts,
  }))
}

function addRemedy(name: string): void {
  every(`the remedy ${name}`, (c) => remedyAdded(c, name))
  chosen.value = ''
}

function removeAll(): void {
  emit(
    'change',
    `without ${counted(columns.length, 'column', 'columns')}: ${names.value.slice(0, 3).join(', ')}${names.value.length > 3 ? ' …' : ''}`,
    columns.flatMap((c) => [
      ...(c.habits && Object.keys(c.habits).length > 0
        ? [{ in: 'mapping' as const, do: 'drop' as const, path: ['columns', c.name] }]
        : []),
      { in: 'target' as const, do: 'drop' as const, path: ['columns', c.name] },
    ]),
  )
  emit('done')
}
</script>

<template>
  <section class="sheet" aria-label="Columns together">
    <div class="head">
      <h2>{{ counted(columns.length, 'column', 'columns') }} together</h2>
      <span class="soft">{{ names.slice(0, 6).join(', ') }}{{ names.length > 6 ? ' …' : '' }}</span>
    </div>
    <p v-if="columns.length === 0" class="soft body">Choose columns on the left.</p>
    <div v-else-if="demands().length > 0" class="body">
      <PropertyField many :property="of('datatype')" :value="undefined" @set="retype" />
      <div class="flags">
        <span class="soft">Required</span>
        <ElButton size="small" @click="demand('required', true)">yes</ElButton>
        <ElButton size="small" @click="demand('required', undefined)">no</ElButton>
      </div>
      <PropertyField many :property="of('onViolation')" :value="undefined" @set="(v) => demand('onViolation', v)" />
      <PropertyField many :property="of('null')" :value="['']" @set="missing" />
      <div class="flags">
        <span class="soft">Remedy</span>
        <ElSelect
          v-model="chosen"
          size="small"
          filterable
          placeholder="Add to all of them…"
          aria-label="Add a remedy to all"
          @change="addRemedy"
        >
          <ElOption v-for="h in plain" :key="h.name" :value="h.name" :label="h.name"
            ><b>{{ h.name }}</b> <span class="soft">{{ h.does }}</span></ElOption
          >
        </ElSelect>
      </div>
      <p><ElButton size="small" @click="removeAll">Take them out of the target</ElButton></p>
    </div>
  </section>
</template>

<style scoped>
.head {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 4px 12px;
  padding: 8px 12px;
}

.body {
  max-width: 560px;
  padding: 0 12px 10px;
  margin: 0;
}

.flags {
  display: grid;
  grid-template-columns: 98px auto auto 1fr;
  align-items: center;
  gap: 8px;
  min-height: 32px;
  font-size: 13px;
}

.flags .el-select {
  grid-column: 2 / -1;
}

.flags .el-button {
  margin: 0;
}
</style>
