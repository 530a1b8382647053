/** The profile that the service keeps of a delivery: made, followed to its end, made anew. */
import { computed, ref, shallowRef, type ComputedRef, type Ref, type ShallowRef } from 'vue'
import { answered, api, ServiceError, type Delivery, type DeliveryProfile } from '../api/client'
import { readsAs } from '../layouts'

export interface ProfileBook {
  kept: ShallowRef<DeliveryProfile | undefined>
  isBusy: ComputedRef<boolean>
  /** Why the profile was made anew unasked; empty if it was not. */
  anew: Ref<string>
  /** Loads the profile of a delivery, and has it made where there is none or it is old. */
  load: (delivery: Delivery, isHere: () => boolean) => Promise<void>
  /** Has the profile made; `share` of a column's values decide its datatype. */
  start: (again: boolean, share?: number) => Promise<void>
  stop: () => Promise<void>
  /** Marks a column as looked at. */
  look: (column: string, on: boolean) => Promise<void>
  leave: () => void
}

/** Milliseconds between two looks at a profile that is being made. */
const lookEvery = 300

/** Whether a profile was made by other settings than those saved since. */
function isOld(p: DeliveryProfile, d: Delivery): boolean {
  if (d.layout === undefined) return Object.keys(p.given).length > 0
  return p.state === 'done' && !readsAs(d.layout, p.readAs ?? p.given)
}

export function useProfile(id: () => string, failed: (e: unknown) => void): ProfileBook {
  const kept = shallowRef<DeliveryProfile>()
  const anew = ref('')
  const isBusy = computed(() => kept.value?.state === 'waiting' || kept.value?.state === 'running')
  let visit = 0
  let timer = 0
  const path = (): { params: { path: { id: string } } } => ({ params: { path: { id: id() } } })

  /** Does what gives a state of the profile, and takes that unless the delivery was left meanwhile. */
  async function take(asked: Promise<DeliveryProfile>): Promise<void> {
    const mine = visit
    try {
      const p = await asked
      if (mine === visit) kept.value = p
    } catch (e) {
      if (mine === visit) failed(e)
    }
  }

  /** Asks again until the profile has come to its end. */
  function follow(): void {
    window.clearTimeout(timer)
    if (!isBusy.value) return
    timer = window.setTimeout(async () => {
      const known = kept.value
      await take(answered(api.GET('/api/v1/deliveries/{id}/profile', path())))
      if (kept.value !== known) follow()
    }, lookEvery)
  }

  async function start(again: boolean, share = kept.value?.share): Promise<void> {
    failed(undefined)
    await take(answered(api.POST('/api/v1/deliveries/{id}/profile', { ...path(), body: { again, share } })))
    follow()
  }

  return {
    kept,
    isBusy,
    anew,
    async load(delivery, isHere) {
      try {
        const found = await answered(api.GET('/api/v1/deliveries/{id}/profile', path()))
        if (!isHere()) return
        kept.value = found
        if (isOld(found, delivery)) {
          await start(true)
          anew.value =
            'The layout was changed since the last profile: this one is made by the layout as it is saved now.'
        }
      } catch (e) {
        if (!(e instanceof ServiceError) || e.status !== 404) throw e
        await start(false)
      }
      follow()
    },
    start,
    stop: () => take(answered(api.POST('/api/v1/deliveries/{id}/profile/cancel', path()))),
    async look(name, on) {
      const p = kept.value
      if (!p) return
      const columns = on ? [...p.looked, name] : p.looked.filter((n) => n !== name)
      try {
        const { looked } = await answered(
          api.PUT('/api/v1/deliveries/{id}/profile/looked', { ...path(), body: { columns } }),
        )
        if (kept.value) kept.value = { ...kept.value, looked }
      } catch (e) {
        failed(e)
      }
    },
    leave() {
      visit++
      window.clearTimeout(timer)
      kept.value = undefined
      anew.value = ''
    },
  }
}
