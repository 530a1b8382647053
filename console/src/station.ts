import { onBeforeUnmount, ref, watch, type Ref } from 'vue'
import { answered, api, type Delivery } from './api/client'

/** A delivery at one of its stations, which all of them load alike. */
export interface Station {
  delivery: Ref<Delivery | undefined>
  /** Why the delivery, or what the station shows of it, is not there. */
  error: Ref<unknown>
  /** Loads the delivery and what the station shows of it. */
  load: () => Promise<void>
  /** Asks for the delivery alone, as it is now. */
  renew: () => Promise<void>
}

/**
 * Loads the delivery that `id` names, and the next one when it names another. `begin` then loads what the station shows
 * of it, and is told by `isHere` whether that is still wanted; of a delivery that was refused as no table there is
 * nothing to show. `leave` ends what still goes on for a delivery, and forgets what was shown of it.
 */
export function useStation(
  id: () => string,
  title: string,
  begin: (delivery: Delivery, isHere: () => boolean) => Promise<void>,
  leave: () => void,
): Station {
  const delivery = ref<Delivery>()
  const error = ref<unknown>()
  let visit = 0

  const ask = (): Promise<Delivery> =>
    answered(api.GET('/api/v1/deliveries/{id}', { params: { path: { id: id() } } }))

  async function load(): Promise<void> {
    const mine = ++visit
    const isHere = (): boolean => mine === visit
    error.value = undefined
    try {
      const found = await ask()
      if (!isHere()) return
      delivery.value = found
      document.title = [found.name, title, 'Sieb'].filter((part) => part !== '').join(' · ')
      if (!found.refusal) await begin(found, isHere)
    } catch (e) {
      if (isHere()) error.value = e
    }
  }

  async function renew(): Promise<void> {
    const mine = visit
    try {
      const found = await ask()
      if (mine === visit) delivery.value = found
    } catch (e) {
      if (mine === visit) error.value = e
    }
  }

  watch(
    id,
    () => {
      leave()
      delivery.value = undefined
      void load()
    },
    { immediate: true },
  )
  onBeforeUnmount(() => {
    visit++
    leave()
  })
  return { delivery, error, load, renew }
}
