<script setup lang="ts">
import { computed } from 'vue'
import type { Tally } from '../api/client'
import { count, share } from '../format'

const {
  tally,
  slim = false,
  refused = false,
} = defineProps<{
  tally: Tally
  slim?: boolean
  /** The delivery is not to be loaded: none of it is green. */ refused?: boolean
}>()

const parts = computed(() =>
  (['accepted', 'rejected', 'excluded'] as const).map((name) => ({ name, rows: tally[name] })),
)
const words = computed(
  () => `${count(tally.read)} read = ` + parts.value.map((p) => `${count(p.rows)} ${p.name}`).join(' + '),
)
</script>

<template>
  <div class="tally" :class="{ slim, refused }">
    <div class="strip" role="img" :aria-label="words">
      <template v-for="p in parts" :key="p.name">
        <span v-if="p.rows > 0" :class="p.name" :style="{ flexGrow: p.rows }"></span>
      </template>
    </div>
    <p v-if="!slim" class="sum">
      <span class="term"
        ><b>{{ count(tally.read) }}</b> read</span
      >
      =
      <template v-for="(p, i) in parts" :key="p.name">
        <template v-if="i > 0">+</template>
        <span class="term">
          <i :class="p.name"></i><b>{{ count(p.rows) }}</b> {{ p.name }}
          <span class="soft">{{ share(p.rows, tally.read) }}</span>
        </span>
      </template>
    </p>
  </div>
</template>

<style scoped>
.strip {
  display: flex;
  gap: 2px;
  height: 22px;
  border-radius: 3px;
  overflow: hidden;
  background: var(--husk-wash);
}

.strip span {
  min-width: 4px;
  flex-basis: 0;
}

.slim .strip {
  height: 8px;
}

.accepted {
  background: var(--leaf);
}

.refused .accepted {
  background: var(--husk-wash);
  outline: 1px solid var(--husk);
  outline-offset: -1px;
}

.rejected {
  background: repeating-linear-gradient(
    135deg,
    var(--rust) 0 5px,
    color-mix(in srgb, var(--rust) 70%, var(--sheet)) 5px 8px
  );
}

.excluded {
  background: var(--husk);
}

.sum {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 12px;
  margin: 8px 0 0;
  align-items: baseline;
}

.term {
  white-space: nowrap;
}

.term b {
  font-size: 17px;
}

.term i {
  display: inline-block;
  width: 10px;
  height: 10px;
  border-radius: 2px;
  margin-right: 6px;
}
</style>
