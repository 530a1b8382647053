import { onBeforeUnmount, shallowRef, watch, type ShallowRef } from 'vue'
import { answered, api } from '../api/client'
import { visible } from '../format'

/** So many rows are looked at, so many different values of a column are shown, of so many characters. */
const [rows, values, characters] = [12, 3, 22]

/** The first values of each of the delivery's columns by its header, for whoever pairs them; once the draft is known. */
export function useSamples(delivery: () => string, isReady: () => boolean): ShallowRef<Map<string, string>> {
  const samples = shallowRef(new Map<string, string>())
  let loading = new AbortController()

  async function load(id: string): Promise<void> {
    loading.abort()
    loading = new AbortController()
    const { signal } = loading
    samples.value = new Map()
    try {
      const body = { limit: rows, columns: [] }
      const path = { params: { path: { id } } }
      const found = await answered(api.POST('/api/v1/deliveries/{id}/rehearsals/rows', { ...path, body, signal }))
      if (signal.aborted) return
      const short = (text: string): string =>
        text.length > characters ? `${text.slice(0, characters - 1)}…` : visible(text)
      const of = (k: number): string =>
        [...new Set(found.items.map((r) => (r.cells[k] ?? '').trim()))]
          .filter((text) => text !== '')
          .slice(0, values)
          .map(short)
          .join(' · ')
      samples.value = new Map(found.header.map((h, k) => [h, of(k)]))
    } catch {
      samples.value = new Map() // pairing goes on without them
    }
  }

  watch(
    () => isReady() && delivery(),
    (id) => {
      if (id) void load(id)
    },
    { immediate: true },
  )
  onBeforeUnmount(() => loading.abort())
  return samples
}
