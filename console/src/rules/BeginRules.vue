<script setup lang="ts">
/** Where a delivery has no draft of rules: by which target it is worked on, and how its sender writes. */
import { ElButton, ElOption, ElSelect } from 'element-plus'
import { computed, onMounted, ref, watch } from 'vue'
import { answered, api, type Delivery, type Mapping, type Target } from '../api/client'
import FailureNote from '../components/FailureNote.vue'

const { delivery, begin } = defineProps<{
  delivery: Delivery
  begin: (body: { target?: string; mapping?: string; draftMapping?: boolean }) => Promise<void>
}>()

/** Stand for a mapping that is to be drafted, and for none. */
const drafted = '\u0000drafted'
const none = '\u0000none'

const targets = ref<Target[]>()
const mappings = ref<Mapping[]>([])
const target = ref('')
const mapping = ref(drafted)
const isBeginning = ref(false)
const error = ref<unknown>()

const fitting = computed(() => mappings.value.filter((m) => m.for === target.value))

async function load(): Promise<void> {
  error.value = undefined
  try {
    const query = { params: { query: { limit: 1000 } } }
    mappings.value = (await answered(api.GET('/api/v1/mappings', query))).items
    targets.value = (await answered(api.GET('/api/v1/targets', query))).items
    const last = delivery.run ?? delivery.newest
    target.value = last?.target?.name ?? (targets.value.length === 1 ? targets.value[0]!.name : '')
    if (last?.mapping) mapping.value = last.mapping.name
  } catch (e) {
    error.value = e
  }
}

watch(target, () => {
  if (mapping.value !== drafted && mapping.value !== none && !fitting.value.some((m) => m.name === mapping.value)) mapping.value = drafted
})
onMounted(() => void load())

async function go(body: { target?: string; mapping?: string; draftMapping?: boolean }): Promise<void> {
  isBeginning.value = true
  await begin(body)
  isBeginning.value = false
}

const start = (): Promise<void> => go({ target: target.value, mapping: mapping.value === drafted || mapping.value === none ? undefined : mapping.value, draftMapping: mapping.value === drafted || undefined })
</script>

<template>
  <section class="sheet begin" aria-label="Begin with rules">
    <h2>Which table are these rows meant for?</h2>
    <FailureNote v-if="error" :error="error" :retry="load" />
    <template v-if="targets && targets.length > 0">
      <p>The target says what the table demands, the mapping how this sender writes.</p>
      <div class="choices">
        <label for="begin-target">Target</label>
        <ElSelect id="begin-target" v-model="target" filterable placeholder="Choose the table" aria-label="Target">
          <ElOption v-for="t in targets" :key="t.name" :value="t.name" :label="t.title ? `${t.name}: ${t.title}` : t.name" />
        </ElSelect>
        <template v-if="target">
          <label for="begin-mapping">Mapping</label>
          <ElSelect id="begin-mapping" v-model="mapping" filterable aria-label="Mapping">
            <ElOption :value="drafted" label="A new sender: draft how it writes from this file" />
            <ElOption v-for="m in fitting" :key="m.name" :value="m.name" :label="m.title ? `${m.name}: ${m.title}` : m.name" />
            <ElOption :value="none" label="None: the sender writes as the target says" />
          </ElSelect>
        </template>
      </div>
      <p><ElButton type="primary" :disabled="!target" :loading="isBeginning" @click="start">Work on its rules</ElButton></p>
      <p class="soft">Or, where no target fits:</p>
    </template>
    <p v-else-if="targets">No target is known yet. Sieb reads all rows and drafts one from what they hold: names, datatypes, formats, what is required; you change what you know better.</p>
    <p><ElButton :type="targets?.length ? 'default' : 'primary'" :loading="isBeginning" @click="go({})">Draft a target from this file</ElButton></p>
  </section>
</template>

<style scoped>
.begin {
  padding: 14px;
}

.choices {
  display: grid;
  grid-template-columns: 90px minmax(0, 460px);
  gap: 8px;
  align-items: center;
}

label {
  font-weight: 600;
}

@media (max-width: 640px) {
  .choices {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
