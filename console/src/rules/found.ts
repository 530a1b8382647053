/** What deals with rows that were found by conditions: they are left out, or one of their values is another one. */
import { watch } from 'vue'
import { ServiceError, type Filter, type Step } from '../api/client'
import { visible } from '../format'
import { say } from '../profile/filters'
import type { RulesBook } from './draft'
import { habit, habitIn, kindOf, listOf, objectOf, remedyAdded, remedyOf, textsOf, type ColumnSpec } from './model'

/** The cells that were asked: those of the delivery, or those of the outcome, with the datatype of each column. */
export type Asked = { of: 'delivery' } | { of: 'outcome'; datatypes: Map<string, string> }

const quoted = (text: string): string => JSON.stringify(text)

/** A condition has its own meaning for these words. */
const reserved = [
  'row',
  'line',
  'fileName',
  'fileDate',
  'today',
  'in',
  'true',
  'false',
  'null',
  'has',
  'cell',
  'column',
]

const named = (name: string): string =>
  /^[A-Za-z_][A-Za-z0-9_]*$/.test(name) && !reserved.includes(name) ? name : `column(${quoted(name)})`

/** A value of a datatype as conditions have it; undefined where they have none that is the same. */
function literalOf(datatype: string, value: string): string | undefined {
  switch (kindOf(datatype)) {
    case 'number':
      if (/^-?\d+(\.\d+)?$/.test(value)) return value
      return /^-?[\d.]+[eE][+-]?\d+$/.test(value) ? `number(${quoted(value)})` : undefined
    case 'moment':
      return datatype === 'date' && /^\d{4}-\d\d-\d\d$/.test(value) ? `date(${quoted(value)})` : undefined
    case 'boolean':
      return ['true', 'false'].includes(value) ? value : undefined
    default:
      return datatype === 'string' ? quoted(value) : undefined
  }
}

const signs: Partial<Record<Filter['op'], string>> = {
  equals: '==',
  greater: '>',
  atLeast: '>=',
  less: '<',
  atMost: '<=',
}

/** A filter as a condition; undefined where no condition says the same. */
function conditionOf(f: Filter, asked: Asked): string | undefined {
  if (f.column === undefined) return undefined
  if (asked.of === 'delivery') {
    const cell = `cell(${quoted(f.column)})`
    switch (f.op) {
      case 'equals':
        return `${cell} == ${quoted(f.value ?? '')}`
      case 'oneOf':
        return `${cell} in [${(f.values ?? []).map(quoted).join(', ')}]`
      case 'empty':
        return `${cell}.trim() == ""`
      case 'filled':
        return `${cell}.trim() != ""`
    }
    return undefined
  }
  const column = named(f.column)
  if (f.op === 'empty') return `!has(${column})`
  if (f.op === 'filled') return `has(${column})`
  const sign = signs[f.op]
  const value = literalOf(asked.datatypes.get(f.column) ?? '', f.value ?? '')
  return sign && value !== undefined ? `${column} ${sign} ${value}` : undefined
}

/** The step that leaves rows out which pass all filters; undefined where no condition says the same. */
function leavingOut(into: Step['in'], filters: Filter[], asked: Asked): Step | undefined {
  const parts = filters.map((f) => conditionOf(f, asked))
  if (parts.length === 0 || parts.includes(undefined)) return undefined
  const reason = filters.map(say).join(', ')
  return { in: into, do: 'add', path: ['exclude'], value: { condition: parts.join(' && '), reason } }
}

/**
 * The step that makes a value another one. A value as delivered is recoded in front of all other remedies, so that no
 * other text is changed with it; one of the outcome is what they have made.
 */
function recoding(c: ColumnSpec, value: string, to: string, of: Asked['of']): Step {
  if (of === 'outcome') return remedyAdded(c, { recode: { [value]: to } })
  const all = listOf(habit(c, 'remedies').value)
  const first = remedyOf(all[0])
  const isRecode = all.length > 0 && first.name === 'recode'
  return {
    in: habitIn(c),
    do: 'set',
    path: ['columns', c.name, 'remedies'],
    value: [
      { recode: { ...(isRecode ? objectOf(first.given) : {}), [value]: to } },
      ...(isRecode ? all.slice(1) : all),
    ],
  }
}

/** The step that makes a value stand for none. An empty cell goes on to stand for none, as it did. */
function missing(c: ColumnSpec, value: string): Step {
  const known = habit(c, 'null').value
  const texts = known === undefined ? [''] : textsOf(known)
  return {
    in: habitIn(c),
    do: 'set',
    path: ['columns', c.name, 'null'],
    value: [...new Set([...texts, value])],
  }
}

/** What deals with rows that were found, each in the draft of rules, which is begun where there is none. */
export interface FoundCures {
  /** A condition says the same as the filters. */
  isExpressed: (filters: Filter[]) => boolean
  /** Values of a column can be recoded, and treated as missing: they are texts. */
  isText: (column: string) => boolean
  leave: (filters: Filter[]) => Promise<void>
  missing: (column: string, value: string) => Promise<void>
  recode: (column: string, value: string, to: string) => Promise<void>
}

export function useFoundCures(
  work: RulesBook,
  begin: () => Promise<void>,
  asked: () => Asked,
  /** The target's column that is meant by a name. */
  columnOf: (name: string) => ColumnSpec | undefined,
): FoundCures {
  const habits = (): Step['in'] => (work.rules.value?.mapping ? 'mapping' : 'target')

  /** Begins a draft, where there is none, and waits until it is counted. */
  async function isBegun(): Promise<boolean> {
    if (!work.rules.value) await begin()
    if (!work.rules.value) return false
    await new Promise<void>((done) => {
      const look = (): boolean => {
        if (!work.rehearsal.value && !work.error.value) return false
        done()
        return true
      }
      if (look()) return
      const stop = watch([work.rehearsal, work.error], () => {
        if (look()) stop()
      })
    })
    return true
  }

  async function change(name: string, words: string, make: (c: ColumnSpec) => Step): Promise<void> {
    if (!(await isBegun())) return
    const column = columnOf(name)
    if (column) await work.change(words, [make(column)])
    else
      work.error.value = new ServiceError(
        `“${visible(name)}” feeds no column of the target, so that its values cannot be other ones. Rows can be left out.`,
      )
  }

  return {
    isExpressed: (filters) => leavingOut('target', filters, asked()) !== undefined,
    isText: (name) => {
      const of = asked()
      return of.of === 'delivery' || of.datatypes.get(name) === 'string'
    },
    async leave(filters) {
      if (!(await isBegun())) return
      const step = leavingOut(habits(), filters, asked())
      if (step) await work.change(`leave out: ${filters.map(say).join(', ')}`, [step])
    },
    missing: (name, value) =>
      change(name, `${visible(name)}: “${visible(value)}” is missing`, (c) => missing(c, value)),
    recode: (name, value, to) =>
      change(name, `${visible(name)}: recode “${visible(value)}” to “${visible(to)}”`, (c) =>
        recoding(c, value, to, asked().of),
      ),
  }
}
