<script setup lang="ts">
/** A delivery and its runs: what they made of its rows. */
import { ElOption, ElSelect, ElSkeleton } from 'element-plus'
import { computed } from 'vue'
import { useAddress } from '../address'
import type { Group } from '../api/client'
import DeliveryHead from '../components/DeliveryHead.vue'
import FailureNote from '../components/FailureNote.vue'
import { useDrafts } from '../drafts'
import { time } from '../format'
import { readsAs } from '../layouts'
import CureList from '../rules/CureList.vue'
import { useRules } from '../rules/draft'
import DraftStrip from '../rules/DraftStrip.vue'
import OthersNote from '../rules/OthersNote.vue'
import RejectTable from '../runs/RejectTable.vue'
import RemedyList from '../runs/RemedyList.vue'
import RunComparison from '../runs/RunComparison.vue'
import RunPanel from '../runs/RunPanel.vue'
import RunProgress from '../runs/RunProgress.vue'
import RunResult from '../runs/RunResult.vue'
import { rulesOf, useRuns } from '../runs/shown'
import ViolationList, { type Choice } from '../runs/ViolationList.vue'
import ViolationTable from '../runs/ViolationTable.vue'
import { useStation } from '../station'

const { id } = defineProps<{ id: string }>()

const address = useAddress()
const book = useDrafts(() => id)
const work = useRules(() => id)
const shown = useRuns(
  () => id,
  () => delivery.value,
  () => renew(),
  (e) => (error.value = e),
)
const { runs, run, isBusy, lost, strange } = shown
const { delivery, error, load, renew } = useStation(
  () => id,
  '',
  () => {
    void book.load()
    return shown.load()
  },
  shown.forget,
)

/** The violation that the address names, where the run has it. */
const chosen = computed<Group | undefined>(() =>
  run.value?.violations?.find((g) => g.code === address.of('code') && g.column === (address.of('column') ?? '')),
)
const choice = computed<Choice | undefined>(
  () => chosen.value && { code: chosen.value.code, column: chosen.value.column },
)
const isRejecting = computed(
  () => !chosen.value || chosen.value.action === 'reject' || chosen.value.action === 'refuse',
)
const noSuch = computed(() => {
  const code = address.of('code')
  if (code === undefined || chosen.value || !run.value?.tally) return ''
  const column = address.of('column')
  return `This run has no violation “${code}”${column ? ` in “${column}”` : ''}; all rejected rows are shown.`
})

function choose(c: Choice | undefined): void {
  address.go({ code: c?.code, column: c?.column, page: undefined })
}

const goToRun = (runID: string): void =>
  address.go({ run: runID, code: undefined, column: undefined, remedy: undefined, page: undefined })

/** The saved layout is another one than that by which the run has read. */
const isOld = computed(() => {
  const [saved, read] = [delivery.value?.layout, run.value?.readAs]
  return saved !== undefined && read !== undefined && !readsAs(saved, read)
})

const hasRemedied = computed(() => run.value?.remedies?.some((r) => r.changed > 0) ?? false)

/** The remedy that the address names, counted from 1. */
const remedy = computed(() => {
  const place = Number(address.of('remedy')) - 1
  return run.value?.remedies?.[place] ? place : undefined
})

const noRemedy = computed(() => {
  const asked = address.of('remedy')
  return asked !== undefined && remedy.value === undefined && run.value?.tally
    ? `This run has no remedy “${asked}”.`
    : ''
})

const chooseRemedy = (place: number | undefined): void =>
  address.go({ remedy: place === undefined ? undefined : place + 1 })
</script>

<template>
  <DeliveryHead
    :id="id"
    :delivery="delivery"
    :drafts="book.drafts.value"
    :changes="work.rules.value?.changes.length"
    :state="run ? (run.state === 'done' ? (run.verdict ?? 'done') : run.state) : undefined"
    @changed="(d) => (delivery = d)"
  />
  <OthersNote v-if="work.rules.value" :work="work" />
  <FailureNote v-if="error" :error="error" :retry="load" class="part" />
  <ElSkeleton v-if="!delivery && !error" :rows="5" animated />
  <template v-if="delivery && !delivery.refusal">
    <section class="sheet part" aria-label="Run">
      <RunPanel :delivery="id" :last="run ?? runs[0]" :busy="isBusy" @started="goToRun" />
      <div v-if="runs.length > 1" class="earlier">
        <label for="runs" class="soft">Run shown</label>
        <ElSelect id="runs" :model-value="run?.id" size="small" class="runs" aria-label="Run shown" @change="goToRun">
          <ElOption
            v-for="r in runs"
            :key="r.id"
            :value="r.id"
            :label="`${time(r.createdAt)}: ${rulesOf(r)}, ${r.verdict ?? r.state}`"
          />
        </ElSelect>
      </div>
    </section>

    <section v-if="runs.length === 0 && !run && !error" class="sheet part" aria-label="Next step">
      <h2>Not sifted yet</h2>
      <p>
        The <RouterLink :to="`/deliveries/${id}/reading`">Reading station</RouterLink> shows whether it is read right,
        the <RouterLink :to="`/deliveries/${id}/profile`">Profile station</RouterLink> what is in it and what is odd;
        both there and at the <RouterLink :to="`/deliveries/${id}/rules`">Rules station</RouterLink> one chooses or
        drafts the target that the rows are meant for, and mends what does not fit. Where target and mapping are
        known, choose them above, and sift.
      </p>
    </section>

    <p v-if="strange" class="said" role="status">{{ strange }}</p>
    <p v-if="noSuch" class="said" role="status">{{ noSuch }}</p>
    <p v-if="noRemedy" class="said" role="status">{{ noRemedy }}</p>
    <p v-if="isOld" class="said" role="status">
      The layout was saved anew after this run: sift again to have the rows as they read now.
    </p>
    <p v-if="lost" class="said" role="status">The run cannot be followed: {{ lost }}.</p>

    <RunProgress v-if="run && !run.tally" :run="run" class="part" @stop="shown.cancel" />
    <template v-else-if="run?.tally">
      <RunResult :run="run" class="part" />
      <RunComparison :run="run" :runs="runs" :other="address.of('with')" @choose="(r) => address.go({ with: r })" />

      <DraftStrip v-if="(work.rules.value?.changes.length ?? 0) > 0" :delivery="id" :work="work" />
      <div class="split">
        <section class="sheet violations" aria-label="Violations">
          <div class="head">
            <h2>Violations</h2>
            <span class="soft">{{ run.violations?.length ? 'choose one to see its rows' : '' }}</span>
          </div>
          <ViolationList v-if="run.violations?.length" :groups="run.violations" :chosen="choice" @choose="choose">
            <template #default="{ group }"><CureList :run="run" :group="group" :work="work" /></template>
          </ViolationList>
          <p v-else class="soft none">None was found.</p>
          <template v-if="hasRemedied">
            <div class="head">
              <h2>Cells cleaned</h2>
              <span class="soft">choose one to see before and after</span>
            </div>
            <RemedyList :remedies="run.remedies ?? []" :chosen="remedy" @choose="chooseRemedy" />
          </template>
        </section>
        <section class="sheet rejects">
          <RejectTable v-if="isRejecting" :run="run" :choice="choice" />
          <ViolationTable v-else-if="chosen" :run="run" :group="chosen" />
        </section>
      </div>
    </template>
  </template>
</template>

<style scoped>
.said {
  margin: 0 0 12px;
  padding: 6px 12px;
  border-left: 3px solid var(--grain);
  background: var(--grain-wash);
}

.part {
  padding: 14px;
  margin-bottom: 14px;
}

.earlier {
  display: flex;
  align-items: center;
  gap: 8px;
  margin-top: 10px;
}

.runs {
  width: 380px;
  max-width: 100%;
}

.split {
  display: grid;
  grid-template-columns: minmax(340px, 430px) minmax(0, 1fr);
  gap: 14px;
  align-items: start;
}

/* The rows in question stay in sight beside the violation chosen. */
.rejects {
  position: sticky;
  top: 12px;
}

.head {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 0 12px;
  padding: 10px 14px;
}

.none {
  padding: 0 14px 12px;
  margin: 0;
}

@media (max-width: 1000px) {
  .split {
    grid-template-columns: minmax(0, 1fr);
  }

  .rejects {
    position: static;
  }
}
</style>
