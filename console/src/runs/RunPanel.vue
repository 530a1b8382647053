<script setup lang="ts">
/** Sifts the delivery by a target and a mapping that are known. */
import { ElButton, ElOption, ElSelect } from 'element-plus'
import { computed, onMounted, ref, watch } from 'vue'
import { answered, api, ServiceError, type Delivery, type Mapping, type RunHead, type Target } from '../api/client'
import { time } from '../format'
import FailureNote from '../components/FailureNote.vue'

const { delivery, last = undefined, busy } = defineProps<{ delivery: string; last?: RunHead; busy: boolean }>()
const emit = defineEmits<{ started: [run: string] }>()

/** Stands for a run without a target; no target can have this name. */
const none = '-'

const targets = ref<Target[]>()
const mappings = ref<Mapping[]>([])
const chosen = ref<string>()
const mapping = ref(none)
/** How senders write for the target that is chosen. */
const fitting = computed(() => mappings.value.filter((m) => m.for === chosen.value))
const error = ref<unknown>()
/** Deliveries among which the file with the control values is, once the service has asked for it. */
const companions = ref<Delivery[]>()
const companion = ref('')
const starting = ref(false)

async function load(): Promise<void> {
  error.value = undefined
  try {
    const query = { params: { query: { limit: 1000 } } }
    targets.value = (await answered(api.GET('/api/v1/targets', query))).items
    mappings.value = (await answered(api.GET('/api/v1/mappings', query))).items
  } catch (e) {
    error.value = e
  }
}

watch(
  () => last && (last.target?.name ?? none),
  (name) => {
    if (name) chosen.value = name
  },
  { immediate: true },
)
watch(
  () => last?.mapping?.name,
  (name) => (mapping.value = name ?? none),
  { immediate: true },
)
watch([chosen, mapping], () => {
  companions.value = undefined
  companion.value = ''
})
watch([chosen, fitting], () => {
  if (mapping.value !== none && mappings.value.length > 0 && !fitting.value.some((m) => m.name === mapping.value))
    mapping.value = none
})
onMounted(() => void load())

async function start(): Promise<void> {
  if (chosen.value === undefined) return
  starting.value = true
  error.value = undefined
  try {
    const named = (name: string): string | undefined => (name === none ? undefined : name)
    const run = await answered(
      api.POST('/api/v1/runs', {
        body: {
          delivery,
          target: named(chosen.value),
          mapping: named(mapping.value),
          companion: companion.value || undefined,
        },
      }),
    )
    emit('started', run.id)
  } catch (e) {
    if (e instanceof ServiceError && e.details.some((d) => d.startsWith('body.companion'))) {
      error.value = new ServiceError(
        'A control value stands in a file that comes with the delivery: deliver that file too, and name it here.',
      )
      await findCompanions()
    } else {
      error.value = e
    }
  }
  starting.value = false
}

/** Lists the deliveries whose names hold a text, newest first. */
async function findCompanions(find = ''): Promise<void> {
  try {
    const found = await answered(api.GET('/api/v1/deliveries', { params: { query: { find, limit: 100 } } }))
    companions.value = found.items.filter((d) => d.id !== delivery)
  } catch (e) {
    error.value = e
  }
}
</script>

<template>
  <div class="panel">
    <label for="target">Target</label>
    <ElSelect
      id="target"
      v-model="chosen"
      class="choice"
      filterable
      placeholder="Which table are the rows meant for?"
      no-data-text="No target yet"
      aria-label="Target"
    >
      <ElOption
        v-for="t in targets"
        :key="t.name"
        :value="t.name"
        :label="t.title ? `${t.name}: ${t.title}` : t.name"
      />
      <ElOption :value="none" label="No target: only read the rows" />
    </ElSelect>
    <template v-if="fitting.length > 0">
      <label for="mapping">Mapping</label>
      <ElSelect id="mapping" v-model="mapping" class="choice" filterable aria-label="Mapping">
        <ElOption
          v-for="m in fitting"
          :key="m.name"
          :value="m.name"
          :label="m.title ? `${m.name}: ${m.title}` : m.name"
        />
        <ElOption :value="none" label="No mapping: the sender writes as the target says" />
      </ElSelect>
    </template>
    <template v-if="companions">
      <label for="companion">Control values</label>
      <ElSelect
        id="companion"
        v-model="companion"
        class="choice"
        filterable
        remote
        :remote-method="findCompanions"
        placeholder="Which delivery holds them?"
        no-data-text="No other delivery is there: upload the file"
        aria-label="Control values"
      >
        <ElOption v-for="d in companions" :key="d.id" :value="d.id" :label="`${d.name}, ${time(d.arrivedAt)}`" />
      </ElSelect>
    </template>
    <ElButton type="primary" :disabled="chosen === undefined || busy" :loading="starting" @click="start">{{
      last ? 'Sift again' : 'Sift'
    }}</ElButton>
    <RouterLink :to="`/deliveries/${delivery}/rules`">a new target or mapping: the Rules station</RouterLink>
  </div>
  <p v-if="targets?.length === 0" class="soft hint">
    No target is known yet: the Rules station drafts one. Sifted without one, every row that reads cleanly is
    accepted.
  </p>
  <FailureNote v-if="error" :error="error" class="hint" />
</template>

<style scoped>
.panel {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px 10px;
}

.panel .el-button {
  margin: 0;
}

label {
  font-weight: 600;
}

.choice {
  width: 380px;
  max-width: 100%;
}

.hint {
  margin: 10px 0 0;
}
</style>
