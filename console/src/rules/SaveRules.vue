<script setup lang="ts">
/** Saves the draft as versions: of the mapping, of the target, or of both. */
import { ElButton, ElDialog, ElInput } from 'element-plus'
import { computed, ref, watch } from 'vue'
import { ServiceError, type Rules, type RulesText } from '../api/client'
import FailureNote from '../components/FailureNote.vue'
import { useNames } from '../shelves/names'
import { steward } from '../steward'
import type { SaveBody } from './draft'
import { objectOf } from './model'

const { rules, open, save, rebase, trouble } = defineProps<{
  rules: Rules
  open: boolean
  save: (body: SaveBody) => Promise<Rules>
  /** Puts the changes on the newest versions; false where they do not go with them, which `trouble` says. */
  rebase: () => Promise<boolean>
  trouble: unknown
}>()
const emit = defineEmits<{ close: []; saved: [rules: Rules, sift: boolean]; drop: [] }>()

const target = ref('')
const mapping = ref('')
const targetTitle = ref('')
const mappingTitle = ref('')
const name = ref(steward.get())
const error = ref<unknown>()
const isSaving = ref(false)
const { look, wrong } = useNames()

const isNewTarget = computed(() => rules.target.version === 0)
const isNewMapping = computed(() => rules.mapping?.version === 0)
/** The version that somebody else has saved meanwhile. */
const newest = computed(() => rules.target.newest ?? rules.mapping?.newest)
const isConflict = computed(
  () =>
    newest.value !== undefined ||
    (error.value instanceof ServiceError && error.value.status === 409 && error.value.message.includes('meanwhile')),
)
const differences = computed(() => {
  const [shelf, text] = rules.target.newest ? ['targets', rules.target] : ['mappings', rules.mapping]
  return `/${shelf}/${text?.name}?view=versions&from=${text?.version}&to=${text?.newest?.version}`
})
const titleOf = (text?: RulesText): string => String(objectOf(text?.view).title ?? '')

watch(
  () => open,
  () => {
    if (!open) return
    target.value = rules.target.name
    mapping.value = rules.mapping?.name ?? ''
    targetTitle.value = titleOf(rules.target)
    mappingTitle.value = titleOf(rules.mapping)
    error.value = undefined
    void look('targets', target.value)
    if (mapping.value) void look('mappings', mapping.value)
  },
  { immediate: true },
)

const targetWrong = computed(() => (isNewTarget.value ? wrong('targets', target.value) : ''))
const mappingWrong = computed(() => (isNewMapping.value ? wrong('mappings', mapping.value) : ''))

/** A title that was typed; undefined where it is as it was. */
function changedTitle(title: string, text?: RulesText): string | undefined {
  const is = title.trim()
  return text?.changed && is !== '' && is !== titleOf(text) ? is : undefined
}

/** Puts the changes on the version that was saved meanwhile; then they can be looked at, and saved. */
async function goOn(): Promise<void> {
  isSaving.value = true
  error.value = undefined
  if (await rebase()) emit('close')
  else error.value = trouble
  isSaving.value = false
}

async function go(sift: boolean, over = false): Promise<void> {
  isSaving.value = true
  error.value = undefined
  steward.set(name.value.trim())
  try {
    const saved = await save({
      target: isNewTarget.value ? target.value : undefined,
      mapping: isNewMapping.value ? mapping.value : undefined,
      targetTitle: changedTitle(targetTitle.value, rules.target),
      mappingTitle: changedTitle(mappingTitle.value, rules.mapping),
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
      <label for="save-target-title">Title</label>
      <ElInput
        id="save-target-title"
        v-model="targetTitle"
        size="small"
        maxlength="500"
        placeholder="what people call this table"
        aria-label="Title of the target"
      />
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
      <label for="save-mapping-title">Title</label>
      <ElInput
        id="save-mapping-title"
        v-model="mappingTitle"
        size="small"
        maxlength="500"
        placeholder="what people call this sender"
        aria-label="Title of the mapping"
      />
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
    <p v-if="isConflict && newest" class="soft">
      Version {{ newest.version }} was saved meanwhile{{ newest.by ? ` by ${newest.by}` : '' }}:
      <RouterLink :to="differences">what differs</RouterLink>. Your changes can go on it, over it, or away.
    </p>
    <template #footer>
      <template v-if="isConflict">
        <ElButton @click="emit('drop')">Throw my changes away</ElButton>
        <ElButton :loading="isSaving" @click="go(false, true)">Save over it</ElButton>
        <ElButton :loading="isSaving" type="primary" @click="goOn"
          >Put my changes on version {{ newest?.version ?? 'that is newest' }}</ElButton
        >
      </template>
      <template v-else>
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
