/** Which rows of a long list stand in its view: the others are not drawn, so that a thousand wide rows are quick. */
import { computed, onBeforeUnmount, ref, watch, type ComputedRef, type Ref } from 'vue'

/** The height of each row, in pixels, as the grid's style has it. */
export const rowHeight = 28
/** Lists of so many rows are drawn whole. */
const mostWhole = 200
/** So many rows are drawn above and below those in view. */
const beside = 30

export interface RowsInView {
  /** The rows that are drawn: from one place up to another. */
  from: ComputedRef<number>
  to: ComputedRef<number>
  isWhole: ComputedRef<boolean>
  /** Scrolls as far as it takes to have a row in view. */
  reveal: (place: number) => void
}

export function useRowsInView(rows: () => number, scroller: Ref<HTMLElement | null>): RowsInView {
  const top = ref(0)
  const height = ref(0)
  const isWhole = computed(() => rows() <= mostWhole)

  const look = (): void => {
    top.value = scroller.value?.scrollTop ?? 0
    height.value = scroller.value?.clientHeight ?? 0
  }
  const sizes = new ResizeObserver(look)
  watch(
    scroller,
    (now, before) => {
      before?.removeEventListener('scroll', look)
      sizes.disconnect()
      now?.addEventListener('scroll', look, { passive: true })
      if (now) sizes.observe(now)
      look()
    },
    { immediate: true },
  )
  onBeforeUnmount(() => sizes.disconnect())

  const from = computed(() => (isWhole.value ? 0 : Math.max(0, Math.floor(top.value / rowHeight) - beside)))
  return {
    isWhole,
    from,
    to: computed(() =>
      isWhole.value ? rows() : Math.min(rows(), Math.ceil((top.value + height.value) / rowHeight) + beside),
    ),
    reveal(place) {
      const box = scroller.value
      if (!box) return
      const at = place * rowHeight
      const room = box.clientHeight - 3 * rowHeight // below the head, above the bar
      if (at < box.scrollTop) box.scrollTop = at
      else if (at > box.scrollTop + room) box.scrollTop = at - room
      look()
    },
  }
}
