import { useRoute, useRouter } from 'vue-router'

type Change = Record<string, string | number | undefined>

/** What is chosen on a page, as it stands in the address. */
export function useAddress(): {
  of: (name: string) => string | undefined
  page: () => number
  list: <T>(name: string, is: (one: unknown) => one is T) => T[]
  go: (change: Change) => void
  swap: (change: Change) => void
} {
  const route = useRoute()
  const router = useRouter()

  function changed(change: Change): { query: Record<string, string> } {
    const query: Record<string, string> = {}
    for (const name of Object.keys(route.query)) {
      const value = of(name)
      if (value !== undefined) query[name] = value
    }
    for (const [name, value] of Object.entries(change)) {
      if (value === undefined || value === '') delete query[name]
      else query[name] = String(value)
    }
    return { query }
  }

  function of(name: string): string | undefined {
    const value = route.query[name]
    return (Array.isArray(value) ? value[0] : value) ?? undefined
  }

  return {
    of,
    /** The page of a list, from 1; what is no number stands for the first. */
    page: () => Math.max(1, Math.floor(Number(of('page'))) || 1),
    /** A list in JSON, of things that are all understood; otherwise there is none. */
    list<T>(name: string, is: (one: unknown) => one is T): T[] {
      try {
        const list = JSON.parse(of(name) ?? '[]') as unknown
        return Array.isArray(list) && list.every(is) ? list : []
      } catch {
        return []
      }
    },
    /** Goes on to other choices; Back leads to those before. */
    go: (change) => void router.push(changed(change)),
    /** Changes the address without a step for Back. */
    swap: (change) => void router.replace(changed(change)),
  }
}
