import { computed, ref, watch, type ComputedRef, type Ref } from 'vue'
import { useAddress } from '../address'
import { answered, api, follow, ServiceError, type Delivery, type Run, type RunHead } from '../api/client'

/** The runs of a delivery, and the one that is shown. */
export interface RunsShown {
  runs: Ref<RunHead[]>
  run: Ref<Run | undefined>
  /** The run that is shown has not come to its end. */
  isBusy: ComputedRef<boolean>
  /** Why the run that is shown cannot be followed. */
  lost: Ref<string>
  /** What the address names, and is not there. */
  strange: Ref<string>
  /**
   * Loads the list of runs, and shows the one that the address names; without one, that which is under way, or that of
   * the delivery's state.
   */
  load: () => Promise<void>
  cancel: () => Promise<void>
  /** Follows no run any more, and shows none. */
  forget: () => void
}

const hasEnded = (r: RunHead): boolean => r.state !== 'waiting' && r.state !== 'running'

/** By what a run has sifted. */
export function rulesOf(r: RunHead): string {
  if (!r.target) return 'no target'
  const target = `${r.target.name}, version ${r.target.version}`
  return r.mapping ? `${target}, by ${r.mapping.name}, version ${r.mapping.version}` : target
}

/** Shows the runs of the delivery that `id` names. `ended` is done when the run shown has come to its end. */
export function useRuns(
  id: () => string,
  delivery: () => Delivery | undefined,
  ended: () => Promise<void>,
  failed: (e: unknown) => void,
): RunsShown {
  const address = useAddress()
  const runs = ref<RunHead[]>([])
  const run = ref<Run>()
  const lost = ref('')
  const strange = ref('')
  let unfollow = (): void => {}
  let visit = 0

  async function list(): Promise<void> {
    const mine = visit
    const found = await answered(api.GET('/api/v1/runs', { params: { query: { delivery: id() } } }))
    if (mine === visit) runs.value = found.items
  }

  async function show(): Promise<void> {
    strange.value = ''
    const asked = address.of('run')
    const newest = runs.value[0]
    const usual = newest && !hasEnded(newest) ? newest : (delivery()?.run ?? newest)
    if (asked === undefined) {
      if (usual) await take(usual.id)
      return
    }
    try {
      if (await take(asked)) return
    } catch (e) {
      if (!(e instanceof ServiceError) || e.status !== 404) throw e
    }
    const instead = usual ? '; the one that its state comes from is shown' : ''
    strange.value = `This delivery has no run “${asked}”${instead}.`
    if (usual) await take(usual.id)
  }

  /** Shows a run, and follows it to its end. False says that it is another delivery's. */
  async function take(runID: string): Promise<boolean> {
    const mine = visit
    unfollow()
    unfollow = () => {}
    lost.value = ''
    const shown = await answered(api.GET('/api/v1/runs/{id}', { params: { path: { id: runID } } }))
    if (mine !== visit) return true // nobody looks at it any more
    if (shown.delivery !== id()) return false
    run.value = shown
    if (!runs.value.some((r) => r.id === runID)) await list()
    if (mine === visit && !hasEnded(shown)) unfollow = follow(runID, followed, (why) => (lost.value = why))
    return true
  }

  function followed(r: Run): void {
    lost.value = ''
    run.value = r
    if (hasEnded(r)) list().then(ended).catch(failed)
  }

  watch(
    () => address.of('run'),
    () => {
      if (delivery()) show().catch(failed)
    },
    { flush: 'post' }, // of another delivery nothing is known by then
  )

  return {
    runs,
    run,
    isBusy: computed(() => run.value !== undefined && !hasEnded(run.value)),
    lost,
    strange,
    async load() {
      await list()
      await show()
    },
    async cancel() {
      if (!run.value) return
      try {
        await answered(api.POST('/api/v1/runs/{id}/cancel', { params: { path: { id: run.value.id } } }))
      } catch (e) {
        failed(e)
      }
    },
    forget() {
      visit++
      unfollow()
      unfollow = () => {}
      run.value = undefined
      runs.value = []
      lost.value = strange.value = ''
    },
  }
}
