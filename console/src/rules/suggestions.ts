import { onBeforeUnmount, ref, shallowRef, watch, type Ref, type ShallowRef } from 'vue'
import type { Suggestion, Suggestions } from '../api/client'
import { stream } from '../api/stream'

/** A suggestion in words, with the column that it is of. */
export const inWords = (s: Suggestion): string => (s.column ? `${s.column}: ${s.words}` : s.words)

/** What is asked of suggestions; undefined for nothing. A change of the state asks anew. */
export interface Asked {
  delivery: string
  state: number
  column?: string
}

/** Suggestions as they are found and tried. */
export function useSuggestions(asked: () => Asked | undefined): {
  found: ShallowRef<Suggestions | undefined>
  error: Ref<unknown>
  load: () => Promise<void>
} {
  const found = shallowRef<Suggestions>()
  const error = ref<unknown>()
  let watching = new AbortController()

  async function load(): Promise<void> {
    watching.abort()
    const ask = asked()
    found.value = undefined
    error.value = undefined
    if (!ask) return
    watching = new AbortController()
    const { signal } = watching
    try {
      await stream<Suggestions>(
        `/api/v1/deliveries/${ask.delivery}/rehearsals/suggestions`,
        { column: ask.column },
        (s) => {
          if (!signal.aborted) found.value = s
        },
        signal,
      )
    } catch (e) {
      if (!signal.aborted) error.value = e
    }
  }

  watch(
    () => JSON.stringify(asked()),
    () => void load(),
    { immediate: true },
  )
  onBeforeUnmount(() => watching.abort())
  return { found, error, load }
}
