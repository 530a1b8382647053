import type { ColumnProfile, Finding, Profile } from '../api/client'
import { share } from '../format'
import { datatypeWord } from '../rules/fields'

/** A column of a profile with what is odd in it. */
export interface Listed {
  column: ColumnProfile
  index: number
  findings: Finding[]
}

export type Order = 'delivered' | 'odd' | 'name'

/** The columns of a profile that a search leaves, in an order. */
export function listed(profile: Profile, search: string, order: Order): Listed[] {
  const words = search.trim().toLowerCase()
  const byColumn = new Map<string, Finding[]>()
  for (const f of profile.findings) for (const c of f.columns ?? []) byColumn.set(c, [...(byColumn.get(c) ?? []), f])
  const all = profile.columns
    .map((column, index) => ({ column, index, findings: byColumn.get(column.name) ?? [] }))
    .filter((l) => l.column.name.toLowerCase().includes(words))
  const rank = (l: Listed): number =>
    l.findings[0] ? profile.findings.indexOf(l.findings[0]) : profile.findings.length
  if (order === 'odd') all.sort((a, b) => rank(a) - rank(b) || a.index - b.index)
  if (order === 'name') all.sort((a, b) => a.column.name.localeCompare(b.column.name))
  return all
}

/** A number or text of the profile as it is shown. */
export const plain = (v: unknown): string =>
  v === undefined || v === null ? '' : typeof v === 'number' ? String(v) : String(v)

/** The edge of a bar: an instant without what is nought of its time of day. */
export const edge = (v: unknown): string => plain(v).replace(/T00:00:00$|(?<=T\d\d:\d\d):00$/, '')

/** The range of a column's values. */
export function range(c: ColumnProfile): string {
  if (c.pair) return c.pair.join(' / ')
  const [low, high] = [plain(c.minimum), plain(c.maximum)]
  return low === high ? low : `${low} – ${high}`
}

/** The datatype, with its share where not all values are of it. */
export const datatype = (c: ColumnProfile): string =>
  c.filled === 0
    ? 'empty'
    : c.fits < c.filled
      ? `${datatypeWord(c.datatype)} ${share(c.fits, c.filled)}`
      : datatypeWord(c.datatype)

export const six = (v: unknown): string => (typeof v === 'number' ? String(Number(v.toPrecision(6))) : plain(v))
