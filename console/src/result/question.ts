/** What is asked of the rows of an outcome, as it stands in the address. */
import { computed, type ComputedRef } from 'vue'
import { useAddress } from '../address'
import { needsValue } from '../profile/filters'

export const sides = ['accepted', 'rejected', 'excluded', 'changed', 'flagged'] as const
export type SideName = (typeof sides)[number]

/** Of rows that are compared with those of another run: which. Rows that moved did so to the side that is shown. */
export const kinds = ['new', 'gone', 'changed', 'moved'] as const
export type KindName = (typeof kinds)[number]

/** Which rows are asked for, as the service reads it. */
export interface Asked {
  side: SideName
  where: string[]
  /** The run that is compared with. */
  with?: string
  kind?: KindName
  /** The column in which they differ. */
  differs?: string
}

/** The conditions that are offered; the service takes the same words. */
export const conditions = ['equals', 'contains', 'empty', 'filled', 'greater', 'atLeast', 'less', 'atMost'] as const
export type ConditionName = (typeof conditions)[number]

/** A condition on a column, as the service reads it. */
export interface Condition {
  column: string
  op: ConditionName
  value: string
}

/** The text of a condition: a value is quoted where it would otherwise be read as another one. */
export function textOf(c: Condition): string {
  if (!needsValue(c.op)) return `${c.column} ${c.op}`
  const isPlain = c.value !== '' && c.value.trim() === c.value && !c.value.startsWith('"')
  return `${c.column} ${c.op} ${isPlain ? c.value : JSON.stringify(c.value)}`
}

export interface QuestionBook {
  side: ComputedRef<SideName>
  where: ComputedRef<Condition[]>
  /** The run with which this one is compared. */
  against: ComputedRef<string | undefined>
  kind: ComputedRef<KindName | undefined>
  differs: ComputedRef<string | undefined>
  asked: ComputedRef<Asked>
  /** The column that rows are sorted by; undefined for their own order. */
  sort: ComputedRef<{ column: string; descending: boolean } | undefined>
  page: ComputedRef<number>
  /** So many rows make a page. */
  perPage: ComputedRef<number>
  /** The columns that are shown, in their order; undefined for the first ones. */
  columns: ComputedRef<string[] | undefined>
  /** The row, by its number in the delivery, of which it is told how it came about. */
  row: ComputedRef<number | undefined>
  /** The column whose values are counted. */
  counted: ComputedRef<string | undefined>
  /** The rows are those of the draft of rules, in place of a run's. */
  isDraft: ComputedRef<boolean>
  setDraft: (is: boolean) => void
  /** In place of rows it is shown what became of the columns. */
  isProfile: ComputedRef<boolean>
  showProfile: () => void
  setSide: (side: SideName) => void
  setAgainst: (run: string | undefined) => void
  setKind: (kind: KindName, side?: SideName) => void
  setDiffers: (column: string | undefined) => void
  add: (c: Condition) => void
  remove: (place: number) => void
  /** Sorts by a column: from the lowest, then from the highest, then in the rows' own order. */
  turn: (column: string) => void
  setPage: (page: number) => void
  setPerPage: (rows: number) => void
  show: (columns: string[] | undefined) => void
  open: (row: number | undefined) => void
  /** Goes to a row: on its side, in the rows' own order, without conditions. */
  goTo: (side: SideName, at: number, row: number) => void
  count: (column: string | undefined) => void
}

/** How many rows a page may have. */
export const pageSizes = [100, 1000]

const isText = (c: unknown): c is string => typeof c === 'string'

function isCondition(c: unknown): c is Condition {
  const { column, op, value } = (c ?? {}) as Record<string, unknown>
  return typeof column === 'string' && typeof value === 'string' && (conditions as readonly unknown[]).includes(op)
}

/** Accepted rows, changed and flagged ones among them, have the target's columns; the others the delivery's. */
export const isTyped = (side: SideName): boolean => !['rejected', 'excluded'].includes(side)
const isSame = (a: SideName, b: SideName): boolean => isTyped(a) === isTyped(b)

export function useQuestion(): QuestionBook {
  const address = useAddress()
  const against = computed(() => address.of('with'))
  const kind = computed(() => (against.value ? kinds.find((k) => k === address.of('kind')) : undefined))
  const differs = computed(() => (kind.value === 'changed' ? address.of('differs') : undefined))
  const side = computed(() => {
    const named = sides.find((s) => s === address.of('side')) ?? 'accepted'
    if (kind.value === undefined) return named
    return kind.value === 'moved' && !isTyped(named) ? named : 'accepted'
  })
  const where = computed(() => address.list('where', isCondition))
  const sort = computed(() => {
    const column = address.of('sort')
    return column === undefined ? undefined : { column, descending: address.of('order') === 'descending' }
  })
  const perPage = computed(() => pageSizes.find((n) => n === Number(address.of('per'))) ?? 100)
  /** The rows of a side as they stand. */
  const plain = {
    where: undefined,
    sort: undefined,
    order: undefined,
    page: undefined,
    count: undefined,
    row: undefined,
    view: undefined,
    kind: undefined,
    differs: undefined,
  }
  const ofSide = (to: SideName): Record<string, string | undefined> => ({
    ...plain,
    side: to === 'accepted' ? undefined : to,
    columns: isSame(to, side.value) ? address.of('columns') : undefined,
  })
  const setWhere = (list: Condition[]): void =>
    address.go({ where: list.length > 0 ? JSON.stringify(list) : undefined, page: undefined })
  return {
    side,
    where,
    against,
    kind,
    differs,
    asked: computed(() => ({
      side: side.value,
      where: where.value.map(textOf),
      ...(kind.value && { with: against.value, kind: kind.value, differs: differs.value }),
    })),
    sort,
    page: computed(() => address.page()),
    perPage,
    columns: computed(() => {
      const list = address.list('columns', isText)
      return list.length > 0 ? list : undefined
    }),
    row: computed(() => {
      const row = Number(address.of('row'))
      return Number.isInteger(row) && row > 0 ? row : undefined
    }),
    counted: computed(() => address.of('count')),
    isDraft: computed(() => address.of('of') === 'draft'),
    setDraft: (is) => address.go({ of: is ? 'draft' : undefined, page: undefined, row: undefined }),
    isProfile: computed(() => address.of('view') === 'profile'),
    showProfile: () =>
      address.go({ view: 'profile', count: undefined, row: undefined, kind: undefined, differs: undefined }),
    setSide: (to) => address.go(ofSide(to)),
    setAgainst: (run) => address.go({ ...plain, with: run }),
    setKind: (to, of = 'accepted') => address.go({ ...ofSide(of), kind: to }),
    setDiffers: (column) => address.go({ differs: column, page: undefined, row: undefined }),
    add: (c) => {
      if (!where.value.some((w) => textOf(w) === textOf(c))) setWhere([...where.value, c])
    },
    remove: (place) => setWhere(where.value.filter((_, i) => i !== place)),
    turn(column) {
      const now = sort.value?.column === column ? sort.value : undefined
      address.go({
        sort: now?.descending ? undefined : column,
        order: now && !now.descending ? 'descending' : undefined,
        page: undefined,
      })
    },
    setPage: (to) => address.go({ page: to > 1 ? to : undefined }),
    setPerPage: (rows) => address.go({ per: rows === pageSizes[0] ? undefined : rows, page: undefined }),
    show: (columns) => address.go({ columns: columns && JSON.stringify(columns) }),
    open: (row) => address.swap({ row }),
    goTo: (to, at, row) =>
      address.go({ ...ofSide(to), page: at > perPage.value ? Math.ceil(at / perPage.value) : undefined, row }),
    count: (column) =>
      address.go({
        ...(address.of('view') === 'profile' && !isTyped(side.value) ? ofSide('accepted') : {}),
        count: column,
        view: undefined,
      }),
  }
}
