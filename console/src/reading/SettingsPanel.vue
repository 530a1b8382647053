<script setup lang="ts">
/** The settings of a layout: what was detected and why, what was made by hand, and what becomes of it. */
import { ElButton, ElOption, ElSelect } from 'element-plus'
import { computed } from 'vue'
import type { Delivery, Given, Reading, SavedLayout } from '../api/client'
import type { DraftBook } from '../drafts'
import { time } from '../format'
import { evidenceOf, markName, settingsOf, type SettingName } from './settings'
import SettingRow from './SettingRow.vue'
import { isSaved, type LayoutWork } from './work'

const { delivery, reading, layout, book, work, layouts } = defineProps<{
  delivery: Delivery
  reading: Reading
  layout: NonNullable<Reading['layout']>
  book: DraftBook
  work: LayoutWork
  /** Layouts of other deliveries, which can be taken over. */
  layouts: SavedLayout[]
}>()
const emit = defineEmits<{ rows: []; each: [] }>()

const settings = computed(() => settingsOf(layout, reading.sheets ?? []))
/** What is told of a setting is told of the answer at hand, not of what was just asked for. */
const taken = computed<Given>(() => reading.given ?? {})
const byHand = computed(() => Object.keys(taken.value).length)
const unsure = computed(
  () =>
    (reading.evidence ?? []).filter((e) => e.confidence < 0.75 && taken.value[e.setting as SettingName] === undefined)
      .length,
)
const state = computed(() =>
  unsure.value > 0 ? `${unsure.value} to check` : byHand.value > 0 ? `${byHand.value} set by hand` : 'all detected',
)
const kept = computed(() =>
  book.failure.value
    ? 'the changes could not be kept,'
    : book.isBehind.value
      ? 'keeping the changes …'
      : 'the changes are kept with the delivery,',
)

/** What others have done to the settings that stand here. */
const othersDid = computed(() => {
  const others = book.others.value
  if (!others) return ''
  return others === 'gone'
    ? 'saved these settings, or threw the changes away'
    : `changed these settings, ${time(others.changedAt ?? '')}`
})
/** What others set that differs from what stands here, in words. */
const othersSet = computed(() => {
  const theirs = work.theirs.value
  if (!theirs) return ''
  const mine = work.given.value
  const names = new Set([...Object.keys(theirs), ...Object.keys(mine)] as SettingName[])
  return [...names]
    .filter((n) => JSON.stringify(theirs[n]) !== JSON.stringify(mine[n]))
    .map((n) => {
      const value = theirs[n]
      const words =
        value === undefined ? 'as detected' : typeof value === 'string' ? markName(value) : JSON.stringify(value)
      return `${settings.value.find((s) => s.name === n)?.label ?? n} ${words}`
    })
    .join(' · ')
})

function takeOver(from: string): void {
  const other = layouts.find((l) => l.delivery === from)
  if (other) work.change(other.layout, `Taken over from ${other.name}.`)
}
</script>

<template>
  <section class="sheet settings" aria-label="Settings">
    <div class="head">
      <h2>How it reads</h2>
      <a class="skip" href="#rows" @click.prevent="emit('rows')">To the rows</a>
      <span class="soft">{{ state }}</span>
    </div>
    <div class="actions">
      <ElButton size="small" :disabled="work.before.value.length === 0" @click="work.undo">Undo</ElButton>
      <ElButton size="small" :disabled="byHand === 0" @click="work.change({})">Detect all</ElButton>
      <ElButton size="small" type="primary" @click="work.save">Save layout</ElButton>
      <ElButton v-if="delivery.layout" size="small" @click="work.forget">Forget saved</ElButton>
      <RouterLink :to="`/deliveries/${delivery.id}/rules`" class="on">on to the rules →</RouterLink>
    </div>
    <div v-if="book.others.value" class="told inset" role="alert">
      <p>
        Meanwhile somebody else {{ othersDid }}<template v-if="othersSet">: {{ othersSet }}</template
        >. What you see is yours, and is not kept yet.
      </p>
      <ElButton size="small" type="primary" @click="work.keepMine">Keep mine</ElButton>
      <ElButton size="small" @click="work.takeTheirs">Take theirs; Undo brings mine back</ElButton>
    </div>
    <p v-else-if="work.isUnsaved.value" class="unsaved" role="status">
      Not saved: {{ kept }} runs and profiles do not know them yet.
    </p>
    <p v-else-if="work.said.value" class="said" role="status">{{ work.said.value }}</p>
    <div v-if="layouts.length > 0" class="over">
      <ElSelect
        size="small"
        placeholder="Take over the layout of…"
        :model-value="''"
        aria-label="Take over the layout of another delivery"
        filterable
        @change="takeOver"
      >
        <ElOption
          v-for="l in layouts"
          :key="l.delivery"
          :value="l.delivery"
          :label="`${l.name}, saved ${time(l.savedAt)}`"
        />
      </ElSelect>
    </div>
    <div v-if="reading.members?.length" class="over">
      <ElSelect
        size="small"
        :model-value="layout.member"
        aria-label="File in the archive"
        @change="(m: string) => work.set('member', m)"
      >
        <ElOption v-for="m in reading.members" :key="m" :value="m" :label="m" />
      </ElSelect>
      <ElButton size="small" @click="emit('each')">Take each out</ElButton>
    </div>
    <SettingRow
      v-for="s in settings"
      :key="s.name"
      :setting="s"
      :value="layout[s.name as keyof typeof layout] as never"
      :evidence="evidenceOf(reading.evidence ?? [], s.name)"
      :by-hand="taken[s.name] !== undefined"
      :saved="isSaved(delivery, s.name, taken)"
      @set="(v) => work.set(s.name, v)"
      @detect="work.detect(s.name)"
    />
  </section>
</template>

<style scoped>
.head {
  display: flex;
  align-items: baseline;
  gap: 12px;
  padding: 10px 12px 4px;
}

.actions {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  padding: 4px 12px 10px;
}

.actions .el-button + .el-button {
  margin-left: 0;
}

.on {
  align-self: center;
  font-size: 13px;
}

.skip {
  position: absolute;
  clip-path: inset(50%);
}

.skip:focus {
  position: static;
  clip-path: none;
}

.unsaved {
  margin: 0;
  padding: 0 12px 8px;
  color: var(--grain);
}

.said {
  margin: 0;
  padding: 0 12px 8px;
  color: var(--leaf);
}

.over {
  padding: 0 12px 8px;
}

.settings {
  max-height: calc(100vh - 24px);
  overflow: auto;
  position: sticky;
  top: 12px;
}

@media (max-width: 1000px) {
  .settings {
    position: static;
    max-height: none;
  }
}
</style>
