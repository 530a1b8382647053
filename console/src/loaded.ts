/** What is loaded for something that is chosen, anew whenever that changes. */
import { ref, shallowRef, watch, type Ref, type ShallowRef } from 'vue'

export interface Loaded<T> {
  /** The last answer; of what was chosen before while another one is loaded, unless `clears`. */
  found: ShallowRef<T | undefined>
  error: Ref<unknown>
  load: () => Promise<void>
}

/** Only the answer to the last question counts. */
export function useLoaded<T>(of: () => unknown, ask: () => Promise<T>, clears = false): Loaded<T> {
  const found = shallowRef<T>()
  const error = ref<unknown>()
  let latest = 0

  async function load(): Promise<void> {
    const mine = ++latest
    error.value = undefined
    try {
      const answer = await ask()
      if (mine === latest) found.value = answer
    } catch (e) {
      if (mine === latest) error.value = e
    }
  }
  watch(
    () => JSON.stringify(of()),
    () => {
      if (clears) found.value = undefined
      void load()
    },
    { immediate: true },
  )
  return { found, error, load }
}
