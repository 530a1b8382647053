/** Targets and mappings as forms show them: what a draft's texts say of columns, and the steps that change it. */
import type { Rules, Step } from '../api/client'
import { demands, fits, habits } from './fields'

export type Properties = Record<string, unknown>

/** A column of the target, with what its mapping says of it. */
export interface ColumnSpec {
  name: string
  /** What the target says. */
  demands: Properties
  /** What the mapping says; undefined where there is no mapping. */
  habits?: Properties
  /** What the target demands beside the datatype, in the service's words. */
  words: string[]
}

const isObject = (v: unknown): v is Properties => typeof v === 'object' && v !== null && !Array.isArray(v)
export const objectOf = (v: unknown): Properties => (isObject(v) ? v : {})
export const listOf = (v: unknown): unknown[] => (Array.isArray(v) ? v : v === undefined || v === null ? [] : [v])
export const textsOf = (v: unknown): string[] => listOf(v).map((one) => (one === null ? '' : String(one)))

export function columnsOf(rules: Rules): ColumnSpec[] {
  const habits = rules.mapping ? objectOf(objectOf(rules.mapping.view).columns) : undefined
  return listOf(objectOf(rules.target.view).columns).map((c) => {
    const demands = objectOf(c)
    const name = String(demands.name ?? '')
    const words = rules.target.words?.[name] ?? []
    return { name, demands, habits: habits && objectOf(habits[name]), words }
  })
}

/** Which text a property of a column's habits goes to, and what it is called there. */
export const habitIn = (c: ColumnSpec): 'mapping' | 'target' => (c.habits ? 'mapping' : 'target')

/** What counts of a habit: what the mapping says comes before what the target says. */
export function habit(c: ColumnSpec, property: string): { value: unknown; from: 'mapping' | 'target' | undefined } {
  if (c.habits && property in c.habits) return { value: c.habits[property], from: 'mapping' }
  if (property in c.demands) return { value: c.demands[property], from: 'target' }
  return { value: undefined, from: undefined }
}

export const datatypeOf = (c: ColumnSpec): string => String(c.demands.datatype ?? 'string')

const wholeNumbers = [
  'integer',
  'byte',
  'short',
  'int',
  'long',
  'unsignedByte',
  'unsignedShort',
  'unsignedInt',
  'unsignedLong',
  'nonNegativeInteger',
  'positiveInteger',
  'nonPositiveInteger',
  'negativeInteger',
]

/** What kind of values a datatype has. */
export function kindOf(datatype: string): 'number' | 'moment' | 'boolean' | 'text' {
  if (wholeNumbers.includes(datatype) || ['decimal', 'double', 'number', 'float'].includes(datatype)) return 'number'
  if (['date', 'dateTime', 'dateTimeStamp', 'time'].includes(datatype)) return 'moment'
  return datatype === 'boolean' ? 'boolean' : 'text'
}

/** The step that sets a property of a column, or drops it where there is nothing. */
export function setting(into: 'target' | 'mapping', column: string, property: string, value: unknown): Step {
  const path = ['columns', column, property]
  const isNothing =
    value === undefined || value === '' || value === false || (Array.isArray(value) && value.length === 0)
  return isNothing ? { in: into, do: 'drop', path } : { in: into, do: 'set', path, value }
}

/** Steps that give a column another datatype, and take away what does not go with it. */
export function datatypeSteps(column: ColumnSpec, datatype: unknown): Step[] {
  const to = String(datatype ?? 'string')
  const kind = kindOf(datatypeOf(column))
  const steps: Step[] = [
    to === 'string'
      ? { in: 'target', do: 'set', path: ['columns', column.name, 'datatype'], value: 'string' }
      : setting('target', column.name, 'datatype', to),
  ]
  const all = [...demands(), ...habits()]
  const goes = (name: string): boolean =>
    all.some((p) => p.name === name && fits(p, to) && (p.datatypes.length === 0 || kindOf(to) === kind))
  for (const name of new Set([...all.map((p) => p.name), 'format'])) {
    if (name === 'datatype' || (name !== 'format' && goes(name)) || (name === 'format' && kindOf(to) === kind))
      continue
    if (name in column.demands) steps.push(setting('target', column.name, name, undefined))
    if (column.habits && name in column.habits) steps.push(setting('mapping', column.name, name, undefined))
  }
  return steps
}

/** The step that adds a remedy to those that count for a column so far. */
export const remedyAdded = (c: ColumnSpec, remedy: unknown): Step => ({
  in: habitIn(c),
  do: 'add',
  path: ['columns', c.name, 'remedies'],
  value: remedy,
  base: listOf(habit(c, 'remedies').value),
})

/** A number where a text looks like one, so that it is written as one. */
export const literal = (text: string): string | number =>
  /^-?(0|[1-9]\d{0,14})(\.\d+)?$/.test(text) && String(Number(text)) === text ? Number(text) : text

/** What feeds a column, in words. */
export function feedOf(c: ColumnSpec): { kind: 'value' | 'derive' | 'header' | 'none'; text: string } {
  for (const [kind, property] of [
    ['value', 'value'],
    ['derive', 'derive'],
  ] as const) {
    const { value } = habit(c, property)
    const isOver = c.habits && ('from' in c.habits || 'position' in c.habits)
    if (value !== undefined && !(isOver && !(c.habits && property in c.habits))) return { kind, text: String(value) }
  }
  return { kind: 'header', text: '' }
}

/** A remedy's name, and what it is given. */
export function remedyOf(r: unknown): { name: string; given: unknown } {
  if (!isObject(r)) return { name: String(r), given: undefined }
  const name = Object.keys(r)[0] ?? ''
  return { name, given: r[name] }
}

/** What a remedy is given, in a few words. */
export function givenWords(given: unknown): string {
  if (given === undefined) return ''
  if (Array.isArray(given)) return given.map(String).join(', ')
  if (!isObject(given)) return String(given)
  const pairs = Object.entries(given)
  const shown = pairs
    .slice(0, 3)
    .map(([k, v]) => `${k === '' ? 'empty' : k} → ${v === '' ? 'nothing' : String(v)}`)
    .join(', ')
  return pairs.length > 3 ? `${shown} and ${pairs.length - 3} more` : shown
}

/** Which of the settings of two forms differ, so that only these become steps. */
export const same = (a: unknown, b: unknown): boolean => JSON.stringify(a) === JSON.stringify(b)

/** Names of columns are compared without case, accents and blanks, as the service does. */
const folded = (text: string): string =>
  text
    .normalize('NFKD')
    .replace(/[\p{M}\s_.\-]/gu, '')
    .toLowerCase()

/** Headers that are left out on purpose, with the text that says so. */
export function leftOutOf(rules: Rules): { into: 'mapping' | 'target'; header: string }[] {
  const of = (into: 'mapping' | 'target', view: unknown) =>
    textsOf(objectOf(view).leftOut).map((header) => ({ into, header }))
  return [...of('target', rules.target.view), ...of('mapping', rules.mapping?.view)]
}

export const isSameHeader = (a: string, b: string): boolean => folded(a) === folded(b)

/** Steps that take every source of a column away. */
export function unfed(column: ColumnSpec): Step[] {
  const all: Step[] = []
  for (const name of ['from', 'position', 'value', 'derive']) {
    if (column.habits && name in column.habits)
      all.push({ in: 'mapping', do: 'drop', path: ['columns', column.name, name] })
    else if (!column.habits && name in column.demands)
      all.push({ in: 'target', do: 'drop', path: ['columns', column.name, name] })
  }
  return all
}

/** Steps that feed a column by its place in the delivery, from 1: one without a header has no other names. */
export function fedByPlace(column: ColumnSpec, place: number): Step[] {
  return [
    ...unfed(column),
    { in: column.habits ? 'mapping' : 'target', do: 'set', path: ['columns', column.name, 'position'], value: place },
  ]
}

/** Steps that feed all columns that take anything from a delivery by their order; none where the counts differ. */
export function inOrder(columns: ColumnSpec[], width: number): Step[] {
  const fed = columns.filter((c) => feedOf(c).kind === 'header')
  return fed.length === width ? fed.flatMap((c, i) => fedByPlace(c, i + 1)) : []
}

/** Steps that feed a column from a header; one that was left out is taken again. */
export function fedBy(column: ColumnSpec, header: string, rules: Rules): Step[] {
  const taken = leftOutOf(rules)
    .filter((l) => isSameHeader(l.header, header))
    .map((l): Step => ({ in: l.into, do: 'remove', path: ['leftOut'], value: l.header }))
  const from: Step = column.habits
    ? { in: 'mapping', do: 'set', path: ['columns', column.name, 'from'], value: header }
    : {
        in: 'target',
        do: 'set',
        path: ['columns', column.name, 'titles'],
        value: [header, ...textsOf(column.demands.titles).filter((t) => t !== header)],
      }
  return [...taken, ...unfed(column), from]
}
