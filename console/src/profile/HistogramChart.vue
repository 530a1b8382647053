<script setup lang="ts">
/** A histogram whose bars lead to the rows behind them. */
import { BarChart } from 'echarts/charts'
import { GridComponent, TooltipComponent } from 'echarts/components'
import { use } from 'echarts/core'
import { CanvasRenderer } from 'echarts/renderers'
import { computed, onBeforeUnmount, onMounted, ref } from 'vue'
import VChart from 'vue-echarts'
import type { HistogramBin } from '../api/client'
import { count } from '../format'
import { edge } from './columns'

use([BarChart, GridComponent, TooltipComponent, CanvasRenderer])

const { bins, name } = defineProps<{ bins: HistogramBin[]; name: string }>()
const emit = defineEmits<{ choose: [bin: HistogramBin] }>()

// The chart is drawn on a canvas, which styles do not reach.
const colours = ref({ bar: '', ink: '', line: '' })
const watching = new MutationObserver(take)
function take(): void {
  const style = getComputedStyle(document.documentElement)
  const of = (v: string): string => style.getPropertyValue(v).trim()
  colours.value = { bar: of('--grain'), ink: of('--soft'), line: of('--line') }
}
onMounted(() => {
  take()
  watching.observe(document.documentElement, { attributes: true, attributeFilter: ['class'] })
})
onBeforeUnmount(() => watching.disconnect())

const label = (b: HistogramBin): string => `${edge(b.from)} to ${edge(b.to)}: ${count(b.count)}`
const option = computed(() => ({
  animation: false,
  grid: { left: 4, right: 8, top: 8, bottom: 4, containLabel: true },
  tooltip: {
    formatter: (p: { dataIndex: number }) => {
      const b = bins[p.dataIndex]
      return b ? label(b) : ''
    },
  },
  xAxis: {
    type: 'category',
    data: bins.map((b) => edge(b.from)),
    axisLabel: { color: colours.value.ink, hideOverlap: true },
    axisLine: { lineStyle: { color: colours.value.line } },
    axisTick: { show: false },
  },
  yAxis: {
    type: 'value',
    minInterval: 1,
    axisLabel: { color: colours.value.ink },
    splitLine: { lineStyle: { color: colours.value.line } },
  },
  series: [
    {
      type: 'bar',
      data: bins.map((b) => b.count || null),
      itemStyle: { color: colours.value.bar },
      barCategoryGap: '8%',
      barMinHeight: 2,
      cursor: 'pointer',
    },
  ],
}))

function clicked(p: unknown): void {
  const bin = bins[(p as { dataIndex: number }).dataIndex]
  if (bin) emit('choose', bin)
}
</script>

<template>
  <VChart
    class="chart"
    :option="option"
    autoresize
    role="img"
    :aria-label="`Histogram of ${name}`"
    @click="clicked"
  />
  <ul class="keys" :aria-label="`Bars of the histogram of ${name}`">
    <li v-for="(b, i) in bins" :key="i">
      <button type="button" @click="emit('choose', b)">{{ label(b) }}</button>
    </li>
  </ul>
</template>

<style scoped>
.chart {
  height: 190px;
}

/* The bars as buttons, for the keyboard: shown while one has the focus. */
.keys {
  position: absolute;
  width: 1px;
  height: 1px;
  margin: 0;
  padding: 0;
  overflow: hidden;
  clip-path: inset(50%);
  list-style: none;
}

.keys:focus-within {
  position: static;
  width: auto;
  height: auto;
  max-height: 120px;
  overflow: auto;
  clip-path: none;
}
</style>
