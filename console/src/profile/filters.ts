import type { Filter } from '../api/client'
import { count, counted, visible } from '../format'

type Op = Filter['op']

/** What a filter says behind the name of its column. */
export const ops: Record<Op, string> = {
  equals: 'is',
  oneOf: 'is one of',
  contains: 'contains',
  empty: 'is empty',
  filled: 'is filled',
  against: 'is not of its datatype',
  placeholder: 'stands for a missing value',
  notNumber: 'is no number',
  shape: 'looks like',
  notShape: 'does not look like',
  form: 'is written as',
  habit: ':',
  greater: 'is greater than',
  atLeast: 'is at least',
  less: 'is less than',
  atMost: 'is at most',
  between: 'is between',
  differs: 'differs from',
  after: 'is after',
  notSum: 'is not the sum of',
  defect: 'was read with',
  header: 'repeats the header',
  sparse: 'has at most',
  rows: 'is one of',
}

export const isFilter = (f: unknown): f is Filter => {
  const op = (f as Filter | null)?.op
  return typeof op === 'string' && op in ops
}

/** The conditions that are chosen by hand; the others come with findings. */
export const usual: Op[] = [
  'contains',
  'equals',
  'empty',
  'filled',
  'against',
  'placeholder',
  'notNumber',
  'shape',
  'notShape',
  'greater',
  'atLeast',
  'less',
  'atMost',
  'between',
]

export const needsValue = (op: Op): boolean =>
  !['empty', 'filled', 'against', 'placeholder', 'notNumber', 'header'].includes(op)

/** A list as a sentence bears it: its first few, and how many more. */
const few = (list: string[]): string =>
  list.slice(0, 4).join(', ') + (list.length > 4 ? ` and ${counted(list.length - 4, 'other', 'others')}` : '')

/** A filter in words. */
export function say(f: Filter): string {
  const what = `${f.column ? visible(f.column) : 'row'} ${ops[f.op]}`
  switch (f.op) {
    case 'oneOf':
      return `${what} ${few((f.values ?? []).map(visible))}`
    case 'rows':
      return `${what} ${few((f.rows ?? []).map(count))}`
    case 'differs':
    case 'after':
    case 'notSum':
      return `${what} ${(f.columns ?? []).map(visible).join(' and ')}`
    case 'habit':
      return `${visible(f.column ?? '')}: ${f.value ?? ''}`
    case 'sparse':
      return `${what} ${counted(Number(f.value), 'filled cell', 'filled cells')}`
    case 'between':
      return `${what} ${visible(f.value ?? '')} and ${visible(f.to ?? '')}`
  }
  return needsValue(f.op) ? `${what} ${visible(f.value ?? '') || '“”'}` : what
}
