<script setup lang="ts">
/** What a column is like, small: how its values are distributed, or which are frequent; and how much of it is empty. */
import { computed } from 'vue'
import type { ColumnProfile } from '../api/client'
import { count, share, visible } from '../format'

const { column } = defineProps<{ column: ColumnProfile }>()

const width = 78
const height = 18
const all = computed(() => Math.max(1, column.filled + column.empty))
/** The part of the width that stands for filled cells. */
const full = computed(() => (column.filled === 0 ? 0 : Math.max(4, (width * column.filled) / all.value)))

interface Box {
  x: number
  y: number
  width: number
  height: number
  tone: number
}

const bars = computed<Box[]>(() => {
  const bins = (column.histogram ?? []).map((b) => b.count)
  if (bins.length < 2) return []
  const most = Math.max(...bins)
  const step = full.value / bins.length
  return bins.map((n, i) => {
    const h = n === 0 ? 0 : Math.max(1.5, (height * n) / most)
    return { x: i * step, y: height - h, width: Math.max(0.6, step - 0.6), height: h, tone: 1 }
  })
})

/** Hardly a value recurs: no value is worth a part of its own. */
const isUnique = computed(() => column.distinct > 1 && 10 * column.distinct > 9 * column.filled)

/** The most frequent values side by side, as wide as they are frequent; what is left over is pale. */
const parts = computed<Box[]>(() => {
  if (bars.value.length > 0 || isUnique.value || column.filled === 0) return []
  let x = 0
  return column.top.slice(0, 8).flatMap((v, i) => {
    const w = (full.value * v.count) / column.filled
    const box = { x, y: 3, width: Math.max(0, w - 0.8), height: height - 6, tone: 1 - 0.11 * i }
    x += w
    return w < 0.5 ? [] : [box]
  })
})

const ticks = computed(() =>
  isUnique.value && bars.value.length === 0
    ? Array.from({ length: Math.max(2, Math.floor(full.value / 4)) }, (_, i) => i * 4)
    : [],
)

const words = computed(() => {
  const c = column
  const rest = c.empty > 0 ? `; ${share(c.empty, all.value)} empty` : ''
  if (c.filled === 0) return 'always empty'
  if (bars.value.length > 0) return `distribution of the values${rest}`
  if (isUnique.value) return `${column.distinct === column.filled ? 'all' : 'nearly all'} different${rest}`
  return (
    c.top
      .slice(0, 3)
      .map((v) => `${visible(v.value).slice(0, 24)} (${count(v.count)})`)
      .join(', ') + rest
  )
})
</script>

<template>
  <svg
    class="picture"
    :width="width"
    :height="height"
    :viewBox="`0 0 ${width} ${height}`"
    role="img"
    :aria-label="words"
  >
    <title>{{ words }}</title>
    <rect
      class="ground"
      :width="full"
      :y="parts.length > 0 ? 3 : 0"
      :height="parts.length > 0 ? height - 6 : height"
    />
    <rect
      v-for="(b, i) in [...bars, ...parts]"
      :key="i"
      class="bar"
      :x="b.x"
      :y="b.y"
      :width="b.width"
      :height="b.height"
      :opacity="b.tone"
    />
    <rect v-for="x in ticks" :key="x" class="tick" :x="x" y="5" width="1.6" :height="height - 10" />
    <path
      v-if="full < width"
      class="empty"
      :d="`M${full + 1} ${height - 1}H${width}M${full + 1} 1H${width}M${width - 0.5} 1V${height - 1}`"
    />
  </svg>
</template>

<style scoped>
.picture {
  display: block;
}

.ground {
  fill: var(--husk-wash);
}

.bar {
  fill: var(--grain);
}

.tick {
  fill: var(--husk);
}

/* What is empty is an outline with nothing in it. */
.empty {
  fill: none;
  stroke: var(--husk);
  stroke-dasharray: 2 2;
}
</style>
