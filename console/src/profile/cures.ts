/** What the rules of a delivery do about what its profile finds. */
import type { ColumnFit, Finding, Profile, Rehearsal, Rules, Suggestion, ValueCount } from '../api/client'
import { habit, listOf, objectOf, remedyOf, textsOf, type ColumnSpec } from '../rules/model'

/** What the draft of rules does, and could do, about findings. */
export interface Mending {
  cures: Map<Finding, Suggestion[]>
  isDealtWith: (finding: Finding) => boolean
  /** What else is suggested of a column of the delivery. */
  others: (column: string) => Suggestion[]
  /** The address of the rule of a column of the delivery; undefined where it feeds none. */
  ruleOf: (column?: string) => string | undefined
}

/** So many cures of a finding are shown. */
const mostCures = 3

/** The likeliest cures of each finding, as far as they are found. */
export function curesOf(profile: Profile, items: Suggestion[]): Map<Finding, Suggestion[]> {
  const cures = new Map<Finding, Suggestion[]>()
  for (const s of items) {
    for (const place of s.findings ?? []) {
      const finding = profile.findings[place]
      const so = finding && cures.get(finding)
      if (so && so.length < mostCures) so.push(s)
      else if (finding && !so) cures.set(finding, [s])
    }
  }
  return cures
}

/** The target's column that a column of the delivery feeds. */
export function fedFrom(
  name: string | undefined,
  profile: Profile,
  rehearsal: Rehearsal | undefined,
): ColumnFit | undefined {
  const place = profile.columns.findIndex((c) => c.name === name) + 1
  return place > 0 ? rehearsal?.columns.find((c) => c.place === place) : undefined
}

/** Findings of values that are not as most are: where all values of the column fit its rules, they are dealt with. */
const ofValues = ['value.against', 'value.mixed', 'date.', 'number.']

/**
 * Whether the draft of rules deals with a finding of one of its columns already. `wrong` are the values of the column
 * that still do not fit; undefined where they are not known, or too many. `codes` are those of its rules that are
 * broken.
 */
export function dealsWith(
  rules: Rules,
  fit: ColumnFit,
  column: ColumnSpec,
  finding: Finding,
  wrong?: Set<string>,
  codes: string[] = [],
): boolean {
  const remedies = listOf(habit(column, 'remedies').value).map((r) => remedyOf(r).name)
  switch (finding.code) {
    case 'blank.around':
      return remedies.includes('trim')
    case 'blank.inside':
      return remedies.includes('squeeze')
    case 'blank.invisible':
      return remedies.includes('clean')
    case 'value.placeholder':
      return (
        (finding.first ?? []).length > 0 &&
        (finding.first ?? []).every((v: ValueCount) => textsOf(habit(column, 'null').value).includes(v.value))
      )
    case 'value.variants':
    case 'value.misspelt': {
      const recoded = listOf(habit(column, 'remedies').value).flatMap((r) =>
        Object.keys(objectOf(objectOf(r).recode)),
      )
      const all = finding.filters?.[0]?.values ?? []
      return all.length > 0 && all.every((v) => recoded.includes(v.trim()) || recoded.includes(v))
    }
    case 'value.empty':
      return column.demands.required === true
    case 'key.repeated':
      return column.demands.unique === true || textsOf(objectOf(rules.target.view).key).includes(column.name)
    default: {
      const first = finding.first ?? []
      const isMended = wrong !== undefined && first.length > 0 && !first.some((v: ValueCount) => wrong.has(v.value))
      // How dates are written is no trouble any more where each is read; that there is no such day is another one.
      const isRead = first.length === 0 && finding.code.startsWith('date.') && !codes.includes('date.format')
      return (fit.wrong === 0 || isMended || isRead) && ofValues.some((code) => finding.code.startsWith(code))
    }
  }
}
