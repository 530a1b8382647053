<script setup lang="ts">
/** The text of a target, mapping or code list, as it is typed, kept and saved. */
import { ElButton, ElInput } from 'element-plus'
import { computed } from 'vue'
import { useAddress } from '../address'
import type { Target } from '../api/client'
import { time } from '../format'
import type { TextDraft } from './textdraft'

const {
  saved,
  draft,
  newer = undefined,
} = defineProps<{
  /** The version that is shown where nothing was changed. */
  saved: Target
  draft: TextDraft
  /** A version that was saved after the text began, which saving would take the place of. */
  newer?: Target
  label: string
}>()
const emit = defineEmits<{ save: []; discard: []; theirs: [] }>()
const address = useAddress()

const edited = computed({
  get: () => draft.text.value ?? saved.text ?? '',
  set: (to) => draft.type(to, saved.version),
})
const state = computed(() => {
  if (draft.text.value === undefined) return 'as it is saved'
  if (draft.isKept.value) return 'changed; kept on the service, and not saved as a version'
  return draft.others.value ? 'changed, and not kept' : 'changed; keeping …'
})
</script>

<template>
  <div class="bar">
    <span class="soft" role="status">{{ state }}</span>
    <template v-if="draft.text.value !== undefined">
      <ElButton size="small" type="primary" :disabled="draft.others.value !== undefined" @click="emit('save')">{{
        newer ? `Save over version ${newer.version}` : 'Save as a version'
      }}</ElButton>
      <ElButton size="small" @click="emit('discard')">Throw the changes away</ElButton>
    </template>
  </div>
  <div v-if="draft.others.value" class="told inset" role="alert">
    <p>
      Meanwhile somebody else
      {{
        draft.others.value === 'gone'
          ? 'saved the changes of this text, or threw them away'
          : 'changed this text too'
      }}. What stands here is yours.
    </p>
    <ElButton size="small" type="primary" @click="draft.settle(true)">Keep mine</ElButton>
    <ElButton size="small" @click="emit('theirs')">Show theirs; mine is put aside</ElButton>
  </div>
  <div v-if="draft.aside.value !== undefined" class="told inset" role="status">
    <p>Your own text is put aside until you leave this page.</p>
    <ElButton size="small" @click="draft.restore">Back to mine</ElButton>
  </div>
  <div v-if="newer" class="told inset" role="status">
    <p>
      Version {{ newer.version }} was saved {{ newer.addedBy ? `by ${newer.addedBy}, ` : ''
      }}{{ time(newer.addedAt) }}. The text here began with version {{ draft.version.value }}.
      <button
        type="button"
        class="link"
        @click="address.go({ view: 'versions', from: String(draft.version.value), to: String(newer.version) })"
      >
        what differs
      </button>
    </p>
  </div>
  <ElInput
    v-model="edited"
    type="textarea"
    :autosize="{ minRows: 14, maxRows: 44 }"
    spellcheck="false"
    class="code"
    :aria-label="label"
  />
</template>

<style scoped>
.bar {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px 12px;
  padding: 8px 12px;
}

.code :deep(textarea) {
  font-family: 'DejaVu Sans Mono', Consolas, monospace;
  font-size: 12.5px;
  white-space: pre;
}
</style>
