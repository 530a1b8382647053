<script setup lang="ts">
/** Saves the draft as versions: of the mapping, of the target, or of both. */
import { ElButton, ElDialog, ElInput } from 'element-plus'
import { computed, ref, watch } from 'vue'
import { ServiceError, type Rules } from '../api/client'
import FailureNote from '../components/FailureNote.vue'
import { useNames } from '../shelves/names'
import { steward } from './draft'

const { rules, open, save } = defineProps<{
  rules: Rules
  open: boolean
  save: (body: { target?: string; mapping?: string; over?: boolean }) => Promise<Rules>
}>()
const emit = defineEmits<{ close: []; saved: [rules: Rules, sift: boolean] }>()

const target = ref('')
const mapping = ref('')
const name = ref(steward.get())
const error = ref<unknown>()
const isSaving = ref(false)
const { look, wrong } = useNames()

const isNewTarget = computed(() => rules.target.version === 0)
const isNewMapping = computed(() => rules.mapping?.version === 0)
const isConflict = computed(
  () =>
    error.value instanceof ServiceError && error.value.status === 409 && error.value.message.includes('meanwhile'),
)

watch(
  () => open,
  () => {
    if (!open) return
    target.value = rules.target.name
    mapping.value = rules.mapping?.name ?? ''
    error.value = undefined
    void look('targets', target.value)
    if (mapping.value) void look('mappings', mapping.value)
  },
  { immediate: true },
)

const targetWrong = computed(() => (isNewTarget.value ? wrong('targets', target.value) : ''))
const mappingWrong = computed(() => (isNewMapping.value ? wrong('mappings', mapping.value) : ''))

async function go(sift: boolean, over = false): Promise<void> {
  isSaving.value = true
  error.value = undefined
  steward.set(name.value.trim())
  try {
    const saved = await save({
      target: isNewTarget.value ? target.value : undefined,
      mapping: isNewMapping.value ? mapping.value : undefined,
      over: over || undefined,
    })
    emit('saved', saved, sift)
  } catch (e) {
    error.value = e
  }
  isSaving.value = false
}
</script>

<template>
  <ElDialog :model-value="open" title="Save the rules" width="min(560px, 96vw)" @close="emit('close')">
    <div v-if="rules.target.changed" class="one">
      <label for="save-target">Target</label>
      <span v-if="!isNewTarget"
        >version {{ rules.target.version }} of <b>{{ rules.target.name }}</b> becomes a new version, for all
        senders</span
      >
      <template v-else>
        <ElInput
          id="save-target"
          v-model="target"
          size="small"
          aria-label="Name of the target"
          @input="(t: string) => look('targets', t)"
        />
        <p v-if="targetWrong" class="bad" role="alert">{{ targetWrong }}</p>
      </template>
    </div>
    <div v-if="rules.mapping?.changed" class="one">
      <label for="save-mapping">Mapping</label>
      <span v-if="!isNewMapping"
        >version {{ rules.mapping.version }} of <b>{{ rules.mapping.name }}</b> becomes a new version, for this
        sender</span
      >
      <template v-else>
        <ElInput
          id="save-mapping"
          v-model="mapping"
          size="small"
          aria-label="Name of the mapping"
          @input="(t: string) => look('mappings', t)"
        />
        <p v-if="mappingWrong" class="bad" role="alert">{{ mappingWrong }}</p>
      </template>
    </div>
    <p v-if="!rules.target.changed && !rules.mapping?.changed" class="soft">
      Nothing has changed since the saved versions.
    </p>
    <div class="one">
      <label for="save-by">Your name</label>
      <ElInput
        id="save-by"
        v-model="name"
        size="small"
        maxlength="100"
        placeholder="for those who read the versions later"
        aria-label="Your name"
      />
    </div>
    <details v-if="rules.changes.length > 0">
      <summary>{{ rules.changes.length === 1 ? '1 change' : `${rules.changes.length} changes` }}</summary>
      <ol>
        <li v-for="(c, i) in rules.changes" :key="i">{{ c.words }}</li>
      </ol>
    </details>
    <FailureNote v-if="error" :error="error" />
    <template #footer>
      <ElButton v-if="isConflict" @click="go(false, true)">Save over it</ElButton>
      <ElButton :loading="isSaving" :disabled="targetWrong !== '' || mappingWrong !== ''" @click="go(false)"
        >Save</ElButton
      >
      <ElButton
        type="primary"
        :loading="isSaving"
        :disabled="targetWrong !== '' || mappingWrong !== ''"
        @click="go(true)"
        >Save and sift</ElButton
      >
    </template>
  </ElDialog>
</template>

<style scoped>
.one {
  display: grid;
  grid-template-columns: 90px minmax(0, 1fr);
  gap: 2px 10px;
  align-items: center;
  margin-bottom: 8px;
}

.one p {
  grid-column: 2;
  margin: 0;
}

label {
  font-weight: 600;
}

.bad {
  color: var(--rust);
}

ol {
  margin: 4px 0;
  padding-left: 24px;
  max-height: 220px;
  overflow-y: auto;
}
</style>
