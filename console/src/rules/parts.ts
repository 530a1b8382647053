/** What rules say of rows and of the delivery rather than of one column. */
import type { Rehearsal, Rules } from '../api/client'
import { count, counted } from '../format'
import { listOf, objectOf, textsOf } from './model'

export interface Part {
  key: string
  label: string
  state: string
  isBad: boolean
}

export const partNames = ['rules', 'exclude', 'key', 'references', 'delivery'] as const
export type PartName = (typeof partNames)[number]

/** The parts with how they stand on the delivery's rows. */
export function partsOf(rules: Rules, r: Rehearsal | undefined): Part[] {
  const t = objectOf(rules.target.view)
  const m = objectOf(rules.mapping?.view)
  const rows = (codes: string[]): number =>
    (r?.broken ?? []).filter((b) => codes.includes(b.code)).reduce((n, b) => n + b.rows, 0)
  const broken = (n: number): string => counted(n, 'row', 'rows')
  const [failed, twice, lost] = [
    rows(['rule.failed']),
    rows(['key.duplicate', 'row.repeated']),
    rows(['reference.missing', 'reference.present']),
  ]
  const rowRules = listOf(t.rowRules).length
  const excludes = listOf(t.exclude).length + listOf(m.exclude).length
  const keys =
    textsOf(t.key).length +
    listOf(t.columns).filter((c) => objectOf(c).unique === true).length +
    listOf(t.uniqueKeys).length
  const references = listOf(t.foreignKeys).length + listOf(t.absentFrom).length
  const whole = (r?.broken ?? []).filter((b) => b.rows === 0)
  const refusing = whole.filter((b) => b.action === 'refuse').length
  return [
    {
      key: 'rules',
      label: 'Row rules',
      state: failed > 0 ? broken(failed) : rowRules > 0 ? `${rowRules} hold` : 'none',
      isBad: failed > 0,
    },
    {
      key: 'exclude',
      label: 'Left out',
      state: r && r.tally.excluded > 0 ? broken(r.tally.excluded) : excludes > 0 ? 'no row' : 'none',
      isBad: false,
    },
    {
      key: 'key',
      label: 'Key',
      state: twice > 0 ? `${broken(twice)} repeated` : keys > 0 ? 'unique' : 'none',
      isBad: twice > 0,
    },
    {
      key: 'references',
      label: 'References',
      state: lost > 0 ? broken(lost) : r?.unreferred ? 'not asked' : references > 0 ? 'all there' : 'none',
      isBad: lost > 0,
    },
    {
      key: 'delivery',
      label: 'The delivery',
      state:
        refusing > 0
          ? `refused: ${count(refusing)}`
          : whole.length > 0
            ? `${count(whole.length)} flagged`
            : 'rows, tolerance',
      isBad: refusing > 0,
    },
  ]
}
