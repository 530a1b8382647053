<script setup lang="ts">
/** One property as a field: what it is called, what it means, and what it is called in the text. */
import { ElInput, ElOption, ElSelect, ElSwitch } from 'element-plus'
import { computed, ref, watch } from 'vue'
import type { Property } from '../api/client'
import { literal, objectOf, same, textsOf } from './model'

const {
  property,
  value,
  from = undefined,
  disabled = false,
  many = false,
} = defineProps<{
  property: Property
  value: unknown
  /** Where a habit comes from, which a mapping and its target can both say. */
  from?: 'mapping' | 'target'
  disabled?: boolean
  /** The fields stand for several columns at once. */
  many?: boolean
}>()
const emit = defineEmits<{ set: [value: unknown]; share: [] }>()

/** Stands for the empty text in lists, which shows nothing by itself. */
const empty = '(empty)'

/** What was typed, as long as the draft has not taken it: what is refused stays to be mended. */
const typed = ref<string>()
const text = computed(() => typed.value ?? (value === undefined || value === null ? '' : String(value)))
watch(
  () => value,
  () => (typed.value = undefined),
)
const texts = computed(() => textsOf(value).map((t) => (t === '' ? empty : t)))
const list = computed(() =>
  property.name === 'oneOf' && value !== undefined && typeof value === 'object' && !Array.isArray(value)
    ? objectOf(value).codes
    : undefined,
)
/** One action for each of some codes cannot be shown as one choice. */
const isMixed = computed(() => property.kind === 'choice' && typeof value === 'object' && value !== null)

function set(to: unknown): void {
  const isBack = same(to, value)
  // What was refused and is put back as it was, is said too: then nothing is refused any more.
  if (!isBack || typed.value !== undefined) emit('set', to)
  if (isBack) typed.value = undefined
}

function setText(to: string): void {
  typed.value = to
  if (property.kind === 'literal') set(to.trim() === '' ? undefined : literal(to.trim()))
  else if (property.kind === 'count') set(/^\d+$/.test(to.trim()) ? Number(to.trim()) : undefined)
  else set(to === '' ? undefined : to)
}

function setTexts(to: string[]): void {
  const all = to.map((t) => (t === empty ? '' : t))
  set(all.length === 0 && property.name !== 'null' ? undefined : all)
}
</script>

<template>
  <div class="field" :class="{ wide: property.kind === 'texts' || property.name === 'description' }">
    <div class="of">
      <label :for="`${many ? 'many' : 'field'}-${property.name}`" :title="`${property.meaning} (${property.name})`">{{
        property.label
      }}</label>
      <span
        v-if="from === 'target' && value !== undefined"
        class="soft whose"
        title="The target says so, for all senders; what is set here is this sender’s alone"
        >all senders</span
      >
      <button
        v-else-if="from === 'mapping'"
        type="button"
        class="link whose"
        title="Move it into the target, where it counts for all senders"
        @click="emit('share')"
      >
        this sender
      </button>
    </div>
    <div class="control">
      <ElSwitch
        v-if="property.kind === 'flag'"
        :id="`${many ? 'many' : 'field'}-${property.name}`"
        size="small"
        :model-value="value === true"
        :disabled="disabled"
        :aria-label="property.label"
        @change="(on) => set(on ? true : undefined)"
      />
      <span v-else-if="isMixed" class="soft"
        >{{
          Object.entries(objectOf(value))
            .map(([code, action]) => `${code}: ${String(action)}`)
            .join(', ')
        }}
        <button type="button" class="link" @click="set(undefined)">the same for all</button></span
      >
      <ElSelect
        v-else-if="property.kind === 'choice'"
        :id="`${many ? 'many' : 'field'}-${property.name}`"
        size="small"
        :model-value="text"
        :disabled="disabled"
        :empty-values="[null, undefined]"
        :aria-label="property.label"
        @change="(to: string) => set(to === '' ? undefined : to)"
      >
        <ElOption v-for="c in property.choices" :key="c.value" :value="c.value" :label="c.label" />
        <ElOption v-if="!property.choices?.some((c) => c.value === text)" :value="text" :label="text" />
      </ElSelect>
      <span v-else-if="list !== undefined"
        >the code list <b>{{ list }}</b></span
      >
      <ElSelect
        v-else-if="property.kind === 'texts'"
        :id="`${many ? 'many' : 'field'}-${property.name}`"
        size="small"
        multiple
        filterable
        allow-create
        default-first-option
        :reserve-keyword="false"
        collapse-tags
        :max-collapse-tags="8"
        collapse-tags-tooltip
        :model-value="texts"
        :disabled="disabled"
        :placeholder="property.hint"
        no-data-text="Type one, and press Enter"
        :aria-label="property.label"
        @change="setTexts"
      >
        <ElOption v-if="property.name === 'null'" :value="empty" :label="empty" />
      </ElSelect>
      <ElInput
        v-else
        :id="`${many ? 'many' : 'field'}-${property.name}`"
        size="small"
        :model-modifiers="{ lazy: true }"
        :model-value="text"
        :disabled="disabled"
        :placeholder="property.hint"
        :aria-label="property.label"
        @change="setText"
      />
    </div>
  </div>
</template>

<style scoped>
.field {
  min-width: 0;
}

.wide {
  grid-column: span 2;
}

.of {
  display: flex;
  align-items: baseline;
  justify-content: space-between;
  gap: 6px;
}

label {
  color: var(--soft);
  font-size: 12px;
  line-height: 1.3;
  cursor: help;
}

.control {
  display: flex;
  align-items: center;
  gap: 6px;
  min-width: 0;
  min-height: 24px;
  font-size: 13px;
}

.whose {
  flex: none;
  font-size: 11.5px;
}
</style>
