/** The outcome of a draft of rules, before anything is run. */
import { ref, shallowRef, watch, type Ref, type ShallowRef } from 'vue'
import { answered, api, type Run } from '../api/client'
import type { RulesBook } from '../rules/draft'

export interface RehearsedBook {
  /** Stands for a run where rows are asked for. */
  run: ShallowRef<Run | undefined>
  /** Why there are no rows. */
  error: Ref<unknown>
  make: () => Promise<void>
}

/** Makes the rows of a delivery's draft as long as they are wanted, anew whenever it was changed and counted. */
export function useRehearsed(id: () => string, isWanted: () => boolean, work: RulesBook): RehearsedBook {
  const run = shallowRef<Run>()
  const error = ref<unknown>()
  let latest = 0

  async function make(): Promise<void> {
    const mine = ++latest
    error.value = undefined
    try {
      const params = { path: { id: id() } }
      const made = await answered(api.POST('/api/v1/deliveries/{id}/rehearsals/outcome', { params, body: {} }))
      if (mine === latest) run.value = made
    } catch (e) {
      if (mine !== latest) return
      run.value = undefined
      error.value = e
    }
  }
  watch(
    () => (isWanted() && work.rehearsal.value?.whole && !work.isOld.value ? `${id()} ${work.state.value}` : ''),
    (state) => {
      if (state !== '') void make()
    },
    { immediate: true },
  )
  return { run, error, make }
}
