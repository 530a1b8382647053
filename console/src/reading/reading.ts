/** How a delivery reads by the settings at hand, and the problems of all its rows. */
import { ref, shallowRef, type Ref, type ShallowRef } from 'vue'
import { answered, api, type Given, type Problems, type Reading } from '../api/client'

export interface ReadingBook {
  reading: ShallowRef<Reading | undefined>
  /** What was found so far; undefined until something is known. */
  problems: ShallowRef<Problems | undefined>
  isBusy: Ref<boolean>
  /** Reads the delivery as the settings say. */
  read: () => Promise<void>
  /** Forgets how a delivery reads that is left. */
  leave: () => void
}

/** Milliseconds between two looks at the problems, until all rows were looked at. */
const lookEvery = 300

export function useReading(id: () => string, given: () => Given, failed: (e: unknown) => void): ReadingBook {
  const reading = shallowRef<Reading>()
  const problems = shallowRef<Problems>()
  const isBusy = ref(false)
  let latest = 0
  let timer = 0
  const asked = (): { params: { path: { id: string } }; body: { layout: Given } } => ({
    params: { path: { id: id() } },
    body: { layout: given() },
  })

  async function read(): Promise<void> {
    const mine = ++latest
    isBusy.value = true
    try {
      const r = await answered(api.POST('/api/v1/deliveries/{id}/reading', asked()))
      if (mine !== latest) return
      reading.value = r
      failed(undefined)
      problems.value = undefined
      if (r.layout) void look(mine)
    } catch (e) {
      if (mine === latest) failed(e)
    } finally {
      if (mine === latest) isBusy.value = false
    }
  }

  /** Asks for the problems until all rows were looked at. */
  async function look(mine: number): Promise<void> {
    window.clearTimeout(timer)
    try {
      const p = await answered(api.POST('/api/v1/deliveries/{id}/reading/problems', asked()))
      if (mine !== latest) return
      problems.value = p
      if (!p.all) timer = window.setTimeout(() => void look(mine), lookEvery)
    } catch (e) {
      if (mine === latest) failed(e)
    }
  }

  return {
    reading,
    problems,
    isBusy,
    read,
    leave() {
      latest++
      window.clearTimeout(timer)
      isBusy.value = false
      reading.value = problems.value = undefined
    },
  }
}
