/** The rows of a run that a question finds, with what was changed in them. */
import { computed, ref, shallowRef, watch, type ComputedRef, type Ref, type ShallowRef } from 'vue'
import { answered, api, type MarkedCell, type RowsFound, type Run } from '../api/client'
import { isTyped, sides, type QuestionBook, type SideName } from './question'

type Columns = RowsFound['columns']

export interface RowsBook {
  found: ShallowRef<RowsFound | undefined>
  /** Why the rows cannot be shown. */
  wrong: Ref<unknown>
  isAsking: Ref<boolean>
  /** All columns of the side. */
  columns: ShallowRef<Columns>
  /** The names of those that are shown. */
  shown: ComputedRef<string[]>
  /** What was changed in the rows that are shown, and what breaks a rule: by row and column. */
  marks: ShallowRef<Map<number, Map<string, MarkedCell>>>
  /** How many rows a side has; undefined where that is not known. */
  rowsOf: (side: SideName) => number | undefined
  ask: () => Promise<void>
  /** Finds a row of the delivery, by its number or its line: its side, and its place there. */
  placeOf: (by: 'row' | 'line', n: number) => Promise<{ side: SideName; at: number; row: number }>
}

/** So many columns are shown unless others are chosen, and of so many rows marks are asked at once. */
const [mostColumns, mostMarked] = [60, 200]

export function useRows(run: () => Run | undefined, question: QuestionBook): RowsBook {
  const found = shallowRef<RowsFound>()
  const wrong = ref<unknown>()
  const isAsking = ref(false)
  const columns = shallowRef<Columns>([])
  const marks: RowsBook['marks'] = shallowRef(new Map())
  const parts = shallowRef<{ changed?: number; flagged?: number }>({})
  let latest = 0
  /** Of which run and kind of side the columns are known. */
  let known = ''
  /** Of which run it is known how many rows were changed. */
  let counted = ''
  const shown = computed(() => {
    const names = columns.value.map((c) => c.name)
    const asked = question.columns.value?.filter((c) => names.includes(c))
    return asked && asked.length > 0 ? asked : names.slice(0, mostColumns)
  })
  const pathOf = (r: Run): { path: { id: string } } => ({ path: { id: r.id } })

  async function ask(): Promise<void> {
    const r = run()
    if (!r?.tally) return
    const mine = ++latest
    isAsking.value = true
    try {
      const asked = question.asked.value
      const from = asked.kind === 'gone' ? asked.with : r.id
      const of = `${from} ${isTyped(asked.side)}`
      if (known !== of) {
        const query = { ...asked, where: [], limit: 0 }
        const none = await answered(api.GET('/api/v1/runs/{id}/rows', { params: { ...pathOf(r), query } }))
        if (mine !== latest) return
        columns.value = none.columns
        known = of
        if (counted !== r.id) void countParts(r)
        counted = r.id
      }
      const sort = question.sort.value
      const query = {
        ...asked,
        sort: sort && [sort.column + (sort.descending ? ' descending' : '')],
        offset: (question.page.value - 1) * question.perPage.value,
        limit: question.perPage.value,
        columns: shown.value.length < columns.value.length || question.columns.value ? shown.value : undefined,
      }
      const rows = await answered(api.GET('/api/v1/runs/{id}/rows', { params: { ...pathOf(r), query } }))
      if (mine !== latest) return
      found.value = rows
      marks.value = new Map()
      wrong.value = undefined
      if (isTyped(asked.side) && !asked.kind) void mark(r, rows, mine)
    } catch (e) {
      if (mine !== latest) return
      wrong.value = e
      found.value = undefined
    } finally {
      if (mine === latest) isAsking.value = false
    }
  }

  /** Marks the rows once they are shown: how a cell came about takes a look at the delivery. */
  async function mark(r: Run, rows: RowsFound, mine: number): Promise<void> {
    const numbers = rows.items.map((one) => one.row)
    for (let at = 0; at < numbers.length; at += mostMarked) {
      try {
        const query = { rows: numbers.slice(at, at + mostMarked), columns: shown.value }
        const told = await answered(api.GET('/api/v1/runs/{id}/marks', { params: { ...pathOf(r), query } }))
        if (mine !== latest) return
        const all = new Map(marks.value)
        for (const one of told.items) all.set(one.row, new Map(one.cells.map((c) => [c.column, c])))
        marks.value = all
      } catch {
        return // The rows are there all the same: what they were made of may be gone.
      }
    }
  }

  /** Runs of older versions do not tell which rows were changed. */
  async function countParts(r: Run): Promise<void> {
    parts.value = {}
    for (const side of ['changed', 'flagged'] as const) {
      try {
        const query = { side, limit: 0 }
        const { total } = await answered(api.GET('/api/v1/runs/{id}/rows', { params: { ...pathOf(r), query } }))
        if (run()?.id === r.id) parts.value = { ...parts.value, [side]: total }
      } catch {
        return
      }
    }
  }

  watch(
    () =>
      JSON.stringify([
        run()?.id,
        run()?.verdict,
        question.asked.value,
        question.sort.value,
        question.page.value,
        question.perPage.value,
        question.columns.value,
      ]),
    () => void ask(),
    { immediate: true },
  )

  return {
    found,
    wrong,
    isAsking,
    columns,
    shown,
    marks,
    ask,
    rowsOf: (side) =>
      side === 'changed' || side === 'flagged' ? parts.value[side] : (run()?.tally?.[side] ?? undefined),
    async placeOf(by, n) {
      const id = run()?.id ?? ''
      const { side, at, row } = await answered(
        by === 'row'
          ? api.GET('/api/v1/runs/{id}/rows/{row}/place', { params: { path: { id, row: n } } })
          : api.GET('/api/v1/runs/{id}/lines/{line}/place', { params: { path: { id, line: n } } }),
      )
      return { side: sides.find((s) => s === side) ?? 'accepted', at, row }
    },
  }
}
