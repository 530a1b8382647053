import { computed, onBeforeUnmount, ref, shallowRef, type ComputedRef, type Ref, type ShallowRef } from 'vue'
import { answered, api, ServiceError, type Delivery, type Rehearsal, type Rules, type Step } from '../api/client'
import { stream } from '../api/stream'
import type { components } from '../api/schema'
import { columnsOf, type ColumnSpec } from './model'

type Schemas = components['schemas']

/** The draft of rules of a delivery, and what it comes to on the delivery's rows. */
export interface RulesBook {
  rules: ShallowRef<Rules | undefined>
  columns: ComputedRef<ColumnSpec[]>
  /** What is known so far of the draft as it stands; of an earlier one while nothing is. */
  rehearsal: ShallowRef<Rehearsal | undefined>
  /** The rehearsal is of the draft as it was before the last change. */
  isOld: Ref<boolean>
  /** Counts the states of the draft, for who asks for more about it. */
  state: Ref<number>
  isBusy: Ref<boolean>
  error: Ref<unknown>
  /** What the draft began with, in words. */
  since: ComputedRef<string>
  /** Loads the draft; false where there is none. */
  load: () => Promise<boolean>
  begin: (body: NewRules) => Promise<void>
  change: (words: string, steps: Step[]) => Promise<boolean>
  undo: () => Promise<void>
  redo: () => Promise<void>
  save: (body: { target?: string; mapping?: string; over?: boolean }) => Promise<Rules>
  drop: () => Promise<void>
}

/** With what a draft begins. */
export type NewRules = Omit<Schemas['NewRules'], '$schema'>

/** By what a delivery was sifted last; undefined where that was no target. */
export function lastOf(delivery: Delivery): NewRules | undefined {
  const run = delivery.run?.target ? delivery.run : delivery.newest
  return run?.target && { target: run.target.name, mapping: run.mapping?.name }
}

/** Who saves versions, as the browser remembers it. */
export const steward = {
  get: (): string => localStorage.getItem('sieb.steward') ?? '',
  set: (name: string): void => localStorage.setItem('sieb.steward', name),
}

export function useRules(id: () => string): RulesBook {
  const rules = shallowRef<Rules>()
  const columns = computed(() => (rules.value ? columnsOf(rules.value) : []))
  const rehearsal = shallowRef<Rehearsal>()
  const isOld = ref(false)
  const state = ref(0)
  const isBusy = ref(false)
  const error = ref<unknown>()
  const since = computed(() => {
    const of = rules.value?.mapping ?? rules.value?.target
    return of && of.version > 0 ? `version ${of.version}` : 'the draft'
  })
  let watching = new AbortController()
  let sending: Promise<unknown> = Promise.resolve()
  const path = (): { params: { path: { id: string } } } => ({ params: { path: { id: id() } } })

  onBeforeUnmount(() => watching.abort())

  /** Takes a state of the draft, and rehearses it. */
  function take(r: Rules): void {
    rules.value = r
    state.value++
    isOld.value = rehearsal.value !== undefined
    void rehearse()
  }

  async function rehearse(): Promise<void> {
    watching.abort()
    watching = new AbortController()
    const { signal } = watching
    try {
      await stream<Rehearsal>(
        `/api/v1/deliveries/${id()}/rehearsals`,
        {},
        (r) => {
          if (signal.aborted) return
          rehearsal.value = r
          isOld.value = false
        },
        signal,
      )
    } catch (e) {
      if (!signal.aborted) error.value = e
    }
  }

  /** Makes changes one after the other, so that each is of the state that the one before has left. */
  function inTurn<T>(what: () => Promise<T>): Promise<T> {
    const next = sending.then(what, what)
    sending = next.catch(() => undefined)
    return next
  }

  async function shift(what: () => Promise<Rules>): Promise<boolean> {
    isBusy.value = true
    try {
      take(await inTurn(what))
      error.value = undefined
      return true
    } catch (e) {
      error.value = e
      return false
    } finally {
      isBusy.value = false
    }
  }

  return {
    rules,
    columns,
    rehearsal,
    isOld,
    state,
    isBusy,
    error,
    since,
    async load() {
      error.value = undefined
      try {
        take(await answered(api.GET('/api/v1/deliveries/{id}/rules', path())))
        return true
      } catch (e) {
        watching.abort()
        rules.value = rehearsal.value = undefined
        if (!(e instanceof ServiceError && e.status === 404)) error.value = e
        return false
      }
    },
    async begin(body) {
      rehearsal.value = undefined
      await shift(() => answered(api.PUT('/api/v1/deliveries/{id}/rules', { ...path(), body })))
    },
    change: (words, steps) =>
      shift(() =>
        answered(
          api.POST('/api/v1/deliveries/{id}/rules/changes', {
            ...path(),
            body: { words: words.slice(0, 500), steps },
          }),
        ),
      ),
    async undo() {
      await shift(() => answered(api.POST('/api/v1/deliveries/{id}/rules/undo', path())))
    },
    async redo() {
      await shift(() => answered(api.POST('/api/v1/deliveries/{id}/rules/redo', path())))
    },
    async save(body) {
      const saved = await inTurn(() =>
        answered(
          api.POST('/api/v1/deliveries/{id}/rules/save', {
            ...path(),
            body: { ...body, by: steward.get() || undefined },
          }),
        ),
      )
      take(saved)
      return saved
    },
    async drop() {
      await answered(api.DELETE('/api/v1/deliveries/{id}/rules', path()))
      watching.abort()
      rules.value = rehearsal.value = undefined
    },
  }
}
