<script setup lang="ts">
import { ElButton, ElInput, ElInputNumber, ElOption, ElSelect, ElSwitch } from 'element-plus'
import { computed, ref, watch } from 'vue'
import type { Evidence, Given } from '../api/client'
import { markName, parsed, worded, type Setting } from './settings'

type Value = Given[Setting['name']]

const {
  setting,
  value,
  evidence = undefined,
  byHand,
  saved,
} = defineProps<{
  setting: Setting
  value: Value
  evidence?: Evidence
  /** The setting was made by hand, and can be given back to detection. */
  byHand: boolean
  /** The value is that of the layout saved with the delivery. */
  saved: boolean
}>()
const emit = defineEmits<{ set: [value: Value]; detect: [] }>()

const id = `setting-${setting.name}`
const text = ref('')
watch(
  () => value,
  (v) => (text.value = Array.isArray(v) ? v.join(', ') : String(v ?? '')),
  { immediate: true },
)

/** Sure enough not to be looked at: above this, a setting does not ask for attention. */
const sure = computed(() => byHand || !evidence || evidence.confidence >= 0.75)
const percent = computed(() => `${Math.round(100 * (evidence?.confidence ?? 1))} %`)

const wrong = ref('')
function setCuts(): void {
  const cuts = text.value
    .split(/[\s,;]+/)
    .filter(Boolean)
    .map(Number)
  if (cuts.some((c, i) => !Number.isInteger(c) || c < 1 || (i > 0 && c <= cuts[i - 1]!))) {
    wrong.value = 'Cuts are whole numbers from 1 up, each beyond the one before.'
    return
  }
  wrong.value = ''
  emit('set', cuts)
}
</script>

<template>
  <div class="setting" :class="{ unsure: !sure }">
    <div class="line">
      <label :for="id">{{ setting.label }}</label>
      <ElSelect
        v-if="setting.control.kind === 'choice'"
        :id="id"
        class="control"
        size="small"
        :model-value="String(value)"
        filterable
        :empty-values="[null, undefined]"
        :allow-create="setting.control.free"
        :aria-label="setting.label"
        @change="(v: string) => emit('set', v)"
      >
        <template #label>{{ worded(setting, String(value)) }}</template>
        <ElOption v-for="o in setting.control.options" :key="o.value" :value="o.value" :label="o.label" />
      </ElSelect>
      <ElInputNumber
        v-else-if="setting.control.kind === 'number'"
        :id="id"
        class="control"
        size="small"
        :model-value="Number(value)"
        :min="0"
        :max="setting.control.most"
        step-strictly
        :aria-label="setting.label"
        @change="(v) => emit('set', v ?? 0)"
      />
      <ElSwitch
        v-else-if="setting.control.kind === 'switch'"
        :id="id"
        class="switch"
        :model-value="value === true"
        :aria-label="setting.label"
        @change="(v) => emit('set', v === true)"
      />
      <ElInput
        v-else-if="setting.control.kind === 'cuts'"
        :id="id"
        v-model="text"
        class="control"
        size="small"
        :aria-label="setting.label"
        @change="setCuts"
      />
      <ElInput
        v-else
        :id="id"
        v-model="text"
        class="control"
        size="small"
        placeholder="none"
        :aria-label="setting.label"
        @change="(v: string) => emit('set', v)"
      />
    </div>
    <p v-if="wrong" class="why wrong" role="alert">{{ wrong }}</p>
    <p v-if="byHand" class="why">
      {{ saved ? 'as saved with the delivery' : 'set by hand' }}
      <ElButton link type="primary" size="small" @click="emit('detect')">detect again</ElButton>
    </p>
    <p v-else-if="evidence" class="why">
      <span class="sure" :title="sure ? 'how sure the detection is' : 'the detection is not sure'">{{
        sure ? percent : `? ${percent}`
      }}</span>
      {{ evidence.why }}
      <span v-if="evidence.next?.length" class="others">
        or try
        <ElButton
          v-for="other in evidence.next.slice(0, 2)"
          :key="other"
          class="other"
          size="small"
          @click="emit('set', parsed(setting, other))"
        >
          {{
            setting.control.kind === 'choice'
              ? worded(setting, other)
              : setting.control.kind === 'switch'
                ? worded(setting, other)
                : markName(other)
          }}
        </ElButton>
      </span>
    </p>
  </div>
</template>

<style scoped>
.setting {
  padding: 7px 12px 6px;
  border-top: 1px solid var(--line);
}

.unsure {
  background: var(--grain-wash);
  box-shadow: inset 3px 0 0 var(--grain);
}

.line {
  display: flex;
  align-items: center;
  gap: 8px;
  min-height: 24px;
}

label {
  flex: 1;
  font-weight: 600;
  font-size: 13px;
  line-height: 1.2;
}

.control {
  width: 158px;
  flex: none;
}

.why {
  margin: 3px 0 0;
  font-size: 12px;
  line-height: 1.35;
  color: var(--soft);
  overflow-wrap: anywhere;
}

.wrong {
  color: var(--rust);
}

.sure {
  color: var(--ink);
  font-weight: 600;
  margin-right: 3px;
}

.others {
  white-space: nowrap;
}

.other {
  height: 19px;
  padding: 0 6px;
  margin-left: 4px;
  font-size: 12px;
}
</style>
