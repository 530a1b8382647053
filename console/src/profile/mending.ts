/** What the draft of rules does about the findings of a profile, and what cures are found for them. */
import { computed, shallowRef, watch, type ComputedRef, type Ref } from 'vue'
import { answered, api, type ColumnFit, type Profile, type Suggestion } from '../api/client'
import type { RulesBook } from '../rules/draft'
import { useSuggestions } from '../rules/suggestions'
import { curesOf, dealsWith, fedFrom, type Mending } from './cures'

export interface MendingBook {
  /** Undefined until there is a draft of rules. */
  mending: ComputedRef<Mending | undefined>
  /** What mends rejected rows of which no finding tells. */
  rest: ComputedRef<Suggestion[]>
  /** How far the search for cures is; empty when it is over. */
  searching: ComputedRef<string>
  /** Why no cures are found. */
  error: Ref<unknown>
}

/** So many wrong values of a column are asked for, and of so many columns. */
const [mostWrong, mostAsked] = [1000, 20]
/** So many suggestions beside those of findings are shown, of a column and of the delivery. */
const [mostOthers, mostRest] = [5, 6]

/** Mends the findings of `profile`, or those of its column that is `chosen`, by the rules that are worked on. */
export function useMending(
  id: () => string,
  profile: () => Profile | undefined,
  chosen: () => string | undefined,
  work: RulesBook,
): MendingBook {
  /** Asked once the draft was counted, so that its first figures do not wait for those of cures. */
  const asked = computed(() => {
    const whole = work.rehearsal.value?.whole && !work.isOld.value
    const p = profile()
    if (!p || !work.rules.value || !whole) return undefined
    const column = fedFrom(chosen(), p, work.rehearsal.value)?.column
    return chosen() !== undefined && column === undefined
      ? undefined
      : { delivery: id(), state: work.state.value, column }
  })
  const { found: suggestions, error } = useSuggestions(() => asked.value)
  /** What still does not fit of the columns that findings are of, so that each finding can say whether it is dealt with. */
  const wrongOf = shallowRef(new Map<string, Set<string>>())
  watch(
    () => (asked.value ? work.state.value : undefined),
    async (state) => {
      wrongOf.value = new Map()
      if (state === undefined) return
      const known = new Map<string, Set<string>>()
      const wrong = (work.rehearsal.value?.columns ?? []).filter((c) => c.wrong > 0).slice(0, mostAsked)
      try {
        for (const { column } of wrong) {
          const found = await answered(
            api.POST('/api/v1/deliveries/{id}/rehearsals/values', {
              params: { path: { id: id() } },
              body: { column, only: 'wrong', limit: mostWrong },
            }),
          )
          if (found.whole && found.total <= mostWrong) known.set(column, new Set(found.items.map((v) => v.value)))
        }
      } catch {
        return // then a finding says so once its whole column fits
      }
      if (work.state.value === state) wrongOf.value = known
    },
  )
  const mending = computed<Mending | undefined>(() => {
    const p = profile()
    const rules = work.rules.value
    if (!p || !rules) return undefined
    const items = suggestions.value?.items ?? []
    const fitOf = (column?: string): ColumnFit | undefined => fedFrom(column, p, work.rehearsal.value)
    return {
      cures: curesOf(p, items),
      others: (column) => items.filter((s) => s.header === column && !s.findings && !s.weakens).slice(0, mostOthers),
      isDealtWith: (f) => {
        const fit = fitOf(f.columns?.[0])
        const spec = work.columns.value.find((c) => c.name === fit?.column)
        if (!fit || !spec) return false
        const codes = (work.rehearsal.value?.broken ?? []).filter((b) => b.column === fit.column).map((b) => b.code)
        return dealsWith(rules, fit, spec, f, wrongOf.value.get(fit.column), codes)
      },
      ruleOf: (column) => {
        const name = fitOf(column)?.column
        return name && `/deliveries/${id()}/rules?column=${encodeURIComponent(name)}`
      },
    }
  })
  /** What mends rejected rows of which no finding tells, since the file alone does not show that they are wrong. */
  const rest = computed(() =>
    (mending.value ? (suggestions.value?.items ?? []) : [])
      .filter((s) => !s.findings && !s.weakens)
      .filter((s) => s.kind === 'pair' || (s.effect?.rescued ?? 0) + (s.effect?.excluded ?? 0) > 0)
      .slice(0, mostRest),
  )
  /** How far the search for cures is. */
  const searching = computed(() => {
    const s = suggestions.value
    if (!asked.value || error.value || s?.done) return ''
    return s ? `trying cures on all rows, ${s.tried} of ${s.total}` : 'looking for cures …'
  })
  return { mending, rest, searching, error }
}
