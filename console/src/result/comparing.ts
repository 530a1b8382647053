/** How the rows of an outcome differ from those of the run that it is compared with. */
import type { ComputedRef, Ref, ShallowRef } from 'vue'
import { answered, api, type Compared, type Run } from '../api/client'
import { useLoaded } from '../loaded'

export function useCompared(
  run: () => Run | undefined,
  against: ComputedRef<string | undefined>,
): {
  compared: ShallowRef<Compared | undefined>
  comparedWrong: Ref<unknown>
  compare: () => Promise<void>
  /** The run that it is compared with. */
  other: ShallowRef<Run | undefined>
} {
  const {
    found: compared,
    error: comparedWrong,
    load: compare,
  } = useLoaded<Compared | undefined>(
    () => [run()?.id, run()?.state, against.value],
    async () => {
      const r = run()
      if (!against.value || r?.state !== 'done') return undefined
      const params = { path: { id: r.id }, query: { with: against.value } }
      return answered(api.GET('/api/v1/runs/{id}/rows/compared', { params }))
    },
    true,
  )
  const { found: other } = useLoaded<Run | undefined>(
    () => against.value,
    async () => {
      if (!against.value) return undefined
      return answered(api.GET('/api/v1/runs/{id}', { params: { path: { id: against.value } } }))
    },
    true,
  )
  return { compared, comparedWrong, compare, other }
}
