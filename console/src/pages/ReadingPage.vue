<script setup lang="ts">
/** The Reading station: how a delivery becomes rows, beside the rows that it becomes. */
import { ElButton, ElSkeleton } from 'element-plus'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import { answered, api, type SavedLayout } from '../api/client'
import DeliveryHead from '../components/DeliveryHead.vue'
import FailureNote from '../components/FailureNote.vue'
import { useDrafts } from '../drafts'
import ProblemList from '../reading/ProblemList.vue'
import { useReading } from '../reading/reading'
import RowGrid from '../reading/RowGrid.vue'
import { sheetLabel } from '../reading/settings'
import SettingsPanel from '../reading/SettingsPanel.vue'
import { useLayoutWork } from '../reading/work'
import { useStation } from '../station'

const { id } = defineProps<{ id: string }>()
const router = useRouter()
const book = useDrafts(() => id)
const layouts = ref<SavedLayout[]>([])
const others = computed(() => layouts.value.filter((l) => l.delivery !== id))
const grid = ref<InstanceType<typeof RowGrid>>()

function failed(e: unknown): void {
  error.value = e
}
const { reading, problems, isBusy, read, leave } = useReading(
  () => id,
  () => work.given.value,
  failed,
)
const { delivery, error, load } = useStation(
  () => id,
  'Reading',
  async (found, isHere) => {
    work.begin(found, (await book.load()).layout)
    layouts.value = (await answered(api.GET('/api/v1/layouts', { params: { query: { limit: 50 } } }))).items
    if (isHere()) await read()
  },
  leave,
)
const work = useLayoutWork(() => id, delivery, book, read, failed)

/** Takes each file of the archive out as a delivery of its own. */
async function takeEach(): Promise<void> {
  try {
    await answered(api.POST('/api/v1/deliveries/{id}/members', { params: { path: { id } } }))
    await router.push('/')
  } catch (e) {
    error.value = e
  }
}
</script>

<template>
  <DeliveryHead
    :id="id"
    :delivery="delivery"
    :drafts="work.isUnsaved.value ? book.drafts.value : { rules: book.drafts.value?.rules }"
    @changed="(d) => (delivery = d)"
  />
  <FailureNote v-if="error" :error="error" :retry="reading ? read : load" class="failure" />
  <div v-if="error && work.before.value.length > 0" class="failure">
    <ElButton size="small" @click="work.undo">Undo the last change</ElButton>
  </div>
  <ElSkeleton v-if="!reading && !error && !delivery?.refusal" :rows="8" animated />

  <section v-if="reading && !reading.layout" class="sheet choose" aria-label="Files in the archive">
    <h2>The archive holds {{ reading.members?.length }} files</h2>
    <p>Choose the one that is to be read as this delivery, or take each out as a delivery of its own.</p>
    <ul>
      <li v-for="m in reading.members" :key="m">
        <ElButton size="small" @click="work.set('member', m)">Read this one</ElButton> {{ m }}
      </li>
    </ul>
    <ElButton type="primary" @click="takeEach">Take each out</ElButton>
  </section>

  <div v-if="delivery && reading?.layout && reading.top" class="station" :class="{ busy: isBusy }">
    <SettingsPanel
      :delivery="delivery"
      :reading="reading"
      :layout="reading.layout"
      :book="book"
      :work="work"
      :layouts="others"
      @rows="grid?.focus()"
      @each="takeEach"
    />

    <div class="rows">
      <div class="sheet seen">
        <div v-if="(reading.sheets?.length ?? 0) > 1" class="tabs" role="group" aria-label="Sheets">
          <button
            v-for="s in reading.sheets"
            :key="s.name"
            type="button"
            :class="{ here: s.name === reading.layout.sheet }"
            :aria-pressed="s.name === reading.layout.sheet"
            @click="work.set('sheet', s.name)"
          >
            {{ sheetLabel(s) }}
          </button>
        </div>
        <p v-if="reading.top.rows.length === 0 && problems?.all" class="soft empty">
          Read like this, the delivery has no rows.
        </p>
        <RowGrid
          ref="grid"
          :delivery="id"
          :given="work.given.value"
          :layout="reading.layout"
          :columns="reading.columns ?? []"
          :top="reading.top"
          :total="Math.max(problems?.counted ?? 0, reading.top.counted)"
          :all="problems?.all ?? reading.top.all"
          :busy="isBusy"
          @cuts="(c) => work.set('cuts', c)"
          @failed="failed"
        />
      </div>
      <section v-if="problems" class="sheet problems" aria-label="Problems">
        <ProblemList :problems="problems" @go="(row) => grid?.goTo(row)" />
      </section>
    </div>
  </div>
</template>

<style scoped>
.failure {
  margin-bottom: 12px;
}

.choose {
  padding: 14px;
}

.choose ul {
  list-style: none;
  padding: 0;
}

.choose li {
  padding: 3px 0;
  overflow-wrap: anywhere;
}

.station {
  display: grid;
  grid-template-columns: 350px minmax(0, 1fr);
  gap: 14px;
  align-items: start;
}

.busy {
  cursor: progress;
}

.problems {
  margin-top: 14px;
}

.tabs {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
  padding: 8px 12px 0;
}

.tabs button {
  padding: 3px 10px;
  border: 1px solid var(--line);
  border-radius: 3px;
  background: none;
  color: var(--ink);
  cursor: pointer;
}

.tabs .here {
  background: var(--grain-wash);
  border-color: var(--grain);
  font-weight: 600;
}

.empty {
  margin: 0;
  padding: 10px 12px 0;
}

@media (max-width: 1000px) {
  .station {
    grid-template-columns: minmax(0, 1fr);
  }

  /* The rows come first and stay, so that what a setting does is seen. */
  .rows {
    display: contents;
  }

  .seen {
    position: sticky;
    top: 0;
    z-index: 3;
    order: -1;
  }

  .problems {
    margin: 0;
  }
}
</style>
