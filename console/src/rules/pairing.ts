/** Which columns of the file feed which of the target. */
import { computed, onBeforeUnmount, shallowRef, watch, type ComputedRef } from 'vue'
import type { Step, Suggestion, Suggestions } from '../api/client'
import { stream } from '../api/stream'
import { counted } from '../format'
import type { RulesBook } from './draft'
import { fedBy, fedByPlace, feedOf, inOrder, isSameHeader, leftOutOf } from './model'

export interface Pairing {
  /** What best feeds the columns that nothing feeds: each of the file's columns feeds one. */
  best: ComputedRef<Suggestion[]>
  /** Of a delivery without a header: steps that take its columns in the target's order, where their counts agree. */
  inOrder: ComputedRef<Step[]>
  /** The file's columns that are left out on purpose. */
  leftOut: ComputedRef<string[]>
  take: (pairs: Suggestion[]) => void
  feed: (column: string, header: string) => void
  leave: (header: string, on: boolean) => void
  /** Adds a column to the target that a column of the file feeds, and tells its name; undefined where it was refused. */
  add: (header: string) => Promise<string | undefined>
}

/** More columns than these that nothing feeds are paired by hand. */
const mostUnfed = 200

export function usePairing(
  id: () => string,
  work: RulesBook,
  change: (words: string, steps: Step[]) => Promise<boolean>,
): Pairing {
  const { rules, columns, rehearsal, isOld, state } = work
  const pairs = shallowRef<Suggestion[]>([])
  let looking = new AbortController()

  /** Looks for what may feed the columns that nothing feeds. */
  async function look(): Promise<void> {
    looking.abort()
    looking = new AbortController()
    const { signal } = looking
    const unfed = (rehearsal.value?.columns ?? []).filter((c) => !c.place)
    if (unfed.length === 0 || unfed.length > mostUnfed) {
      pairs.value = []
      return
    }
    try {
      await stream<Suggestions>(
        `/api/v1/deliveries/${id()}/rehearsals/suggestions`,
        { pairs: true },
        (s) => {
          if (!signal.aborted) pairs.value = s.items.filter((i) => i.kind === 'pair')
        },
        signal,
      )
    } catch {
      pairs.value = [] // pairing by hand goes on
    }
  }
  watch(
    () => rehearsal.value?.whole && !isOld.value && state.value,
    (is) => {
      if (is) void look()
    },
  )
  onBeforeUnmount(() => looking.abort())

  const best = computed(() => {
    const taken = new Set<string>()
    const fed = new Set<string>()
    return [...pairs.value]
      .sort((a, b) => b.cells - a.cells)
      .filter((p) => {
        const from = JSON.stringify(p.steps[0]?.value)
        if (taken.has(from) || fed.has(p.column ?? '')) return false
        taken.add(from)
        fed.add(p.column ?? '')
        return true
      })
  })

  const isNamed = computed(() => rehearsal.value?.named !== false)
  /** The place of a column of a delivery without a header, from 1; 0 where a header names it. */
  const placeOf = (header: string): number =>
    isNamed.value ? 0 : (rehearsal.value?.header.indexOf(header) ?? -1) + 1
  const isUnfed = (name: string): boolean => !rehearsal.value?.columns.find((c) => c.column === name)?.place
  const into = (): 'mapping' | 'target' => (rules.value?.mapping ? 'mapping' : 'target')

  return {
    best,
    inOrder: computed(() =>
      !isNamed.value && columns.value.some((c) => feedOf(c).kind === 'header' && isUnfed(c.name))
        ? inOrder(columns.value, rehearsal.value?.header.length ?? 0)
        : [],
    ),
    leftOut: computed(() => (rules.value ? leftOutOf(rules.value).map((l) => l.header) : [])),
    take(all) {
      void change(
        all.length === 1 ? all[0]!.words : `pair ${counted(all.length, 'column', 'columns')}`,
        all.flatMap((p) => p.steps),
      )
    },
    feed(name, header) {
      const c = columns.value.find((o) => o.name === name)
      if (!c || !rules.value) return
      const place = placeOf(header)
      if (place > 0) void change(`${name} from column ${place}`, fedByPlace(c, place))
      else void change(`${name} from ${header}`, fedBy(c, header, rules.value))
    },
    leave(header, on) {
      if (!rules.value) return
      const steps: Step[] = on
        ? [{ in: into(), do: 'add', path: ['leftOut'], value: header }]
        : leftOutOf(rules.value)
            .filter((l) => isSameHeader(l.header, header))
            .map((l) => ({ in: l.into, do: 'remove', path: ['leftOut'], value: l.header }))
      void change(on ? `leave ${header} out` : `ask about ${header} again`, steps)
    },
    async add(header) {
      const name = newName(
        header,
        columns.value.map((c) => c.name),
      )
      const column = rules.value?.mapping || !isNamed.value ? { name } : { name, titles: [header] }
      const steps: Step[] = [{ in: 'target', do: 'add', path: ['columns'], value: column }]
      const place = placeOf(header)
      if (place > 0) steps.push({ in: into(), do: 'set', path: ['columns', name, 'position'], value: place })
      else if (rules.value?.mapping)
        steps.push({ in: 'mapping', do: 'set', path: ['columns', name, 'from'], value: header })
      return (await change(`a new column ${name} from ${header}`, steps)) ? name : undefined
    },
  }
}

/** A name for a column like its header, other than those taken. */
function newName(header: string, taken: string[]): string {
  const base =
    header
      .normalize('NFKD')
      .replace(/\p{M}/gu, '')
      .toLowerCase()
      .replace(/[^\p{L}\p{N}]+/gu, '_')
      .replace(/^_+|_+$/g, '') || 'column'
  let name = base
  for (let n = 2; taken.includes(name); n++) name = `${base}_${n}`
  return name
}
