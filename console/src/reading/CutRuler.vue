<script setup lang="ts">
import { computed, ref } from 'vue'

/** A ruler over text of fixed width. Cuts are dragged, moved by the arrow keys, added by a click and taken away by Delete. */
const { cuts, width, character } = defineProps<{
  cuts: number[]
  /** In characters. */
  width: number
  /** Width of a character in pixels. */
  character: number
}>()
const emit = defineEmits<{ move: [cuts: number[]] }>()

const ruler = ref<HTMLElement>()
const dragged = ref<{ index: number; at: number }>()

const shown = computed(() =>
  dragged.value ? cuts.map((c, i) => (i === dragged.value!.index ? dragged.value!.at : c)) : cuts,
)
const ticks = computed(() => Array.from({ length: Math.floor(width / 10) + 1 }, (_, i) => i * 10))

function placeOf(e: PointerEvent | MouseEvent): number {
  const box = ruler.value!.getBoundingClientRect()
  return Math.max(1, Math.min(width, Math.round((e.clientX - box.left) / character)))
}

function grasp(e: PointerEvent, index: number): void {
  ;(e.target as HTMLElement).setPointerCapture(e.pointerId)
  dragged.value = { index, at: cuts[index]! }
}

function drag(e: PointerEvent): void {
  if (!dragged.value) return
  const { index } = dragged.value
  const least = (cuts[index - 1] ?? 0) + 1
  const most = (cuts[index + 1] ?? width + 1) - 1
  dragged.value = { index, at: Math.max(least, Math.min(most, placeOf(e))) }
}

function drop(): void {
  const moved = dragged.value
  dragged.value = undefined
  if (moved && cuts[moved.index] !== moved.at)
    emit(
      'move',
      cuts.map((c, i) => (i === moved.index ? moved.at : c)),
    )
}

function add(e: MouseEvent): void {
  const at = placeOf(e)
  if (e.target === ruler.value && !cuts.includes(at))
    emit(
      'move',
      [...cuts, at].sort((a, b) => a - b),
    )
}

function key(e: KeyboardEvent, index: number): void {
  const step = e.key === 'ArrowLeft' ? -1 : e.key === 'ArrowRight' ? 1 : 0
  if (e.key === 'Delete' || e.key === 'Backspace')
    emit(
      'move',
      cuts.filter((_, i) => i !== index),
    )
  else if (step === 0) return
  else {
    const at = cuts[index]! + step
    if (at < 1 || cuts.includes(at)) return
    emit(
      'move',
      cuts.map((c, i) => (i === index ? at : c)),
    )
  }
  e.preventDefault()
}
</script>

<template>
  <div
    ref="ruler"
    class="ruler"
    role="group"
    aria-label="Cuts: drag them, or move them by the arrow keys; a click adds one, Delete takes one away"
    :style="{ width: `${width * character}px` }"
    @click="add"
  >
    <span v-for="t in ticks" :key="t" class="tick" :style="{ left: `${t * character}px` }">{{ t }}</span>
    <button
      v-for="(c, i) in shown"
      :key="i"
      type="button"
      class="cut"
      role="slider"
      :aria-label="`Cut ${i + 1}`"
      :aria-valuenow="c"
      aria-valuemin="1"
      :aria-valuemax="width"
      :style="{ left: `${c * character}px` }"
      :title="`cut at ${c}`"
      @pointerdown="(e) => grasp(e, i)"
      @pointermove="drag"
      @pointerup="drop"
      @pointercancel="dragged = undefined"
      @keydown="(e) => key(e, i)"
      @click.stop
    ></button>
  </div>
</template>

<style scoped>
.ruler {
  position: relative;
  height: 24px;
  cursor: copy;
  font: 10px/1 var(--sans);
  color: var(--soft);
  background-image: repeating-linear-gradient(to right, var(--line) 0 1px, transparent 1px 100%);
}

.tick {
  position: absolute;
  top: 2px;
  padding-left: 2px;
  border-left: 1px solid var(--husk);
  height: 20px;
  pointer-events: none;
}

.cut {
  position: absolute;
  top: 0;
  bottom: 0;
  width: 13px;
  margin-left: -6px;
  padding: 0;
  border: 0;
  background: none;
  cursor: ew-resize;
  touch-action: none;
}

.cut::before {
  content: '';
  position: absolute;
  left: 4px;
  bottom: 0;
  border: 4px solid transparent;
  border-top: 10px solid var(--rust);
  width: 0;
}

.cut::after {
  content: '';
  position: absolute;
  left: 6px;
  bottom: 0;
  top: 6px;
  border-left: 2px solid var(--rust);
}
</style>
