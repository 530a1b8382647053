import { computed, onBeforeUnmount, ref, shallowRef, type ComputedRef, type Ref, type ShallowRef } from 'vue'
import { away } from '../api/away'
import { answered, api, ServiceError, type Delivery, type Rehearsal, type Rules, type Step } from '../api/client'
import { stream } from '../api/stream'
import type { components } from '../api/schema'
import { columnsOf, type ColumnSpec } from './model'
import { steward } from '../steward'
import { author, bodyOf, outbox, overlap, unlike, type Sent } from './outbox'

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
  /** What others have changed since this page knew the draft; empty once it was read. */
  others: ShallowRef<Shift[]>
  /** A change of one's own that others have changed the same of: whether it is made is to be said. */
  held: ShallowRef<Sent | undefined>
  /** Makes the change that is held, or forgets it. */
  settle: (make: boolean) => Promise<void>
  /** Why the last change is not taken back: it is somebody else's. */
  foreign: Ref<string>
  /** Forgets what was told of others. */
  forget: () => void
  /** Puts the changes on the newest versions. */
  rebase: () => Promise<boolean>
  /** Loads the draft; false where there is none. */
  load: () => Promise<boolean>
  begin: (body: NewRules) => Promise<void>
  change: (words: string, steps: Step[]) => Promise<boolean>
  undo: (over?: boolean) => Promise<void>
  redo: () => Promise<void>
  save: (body: SaveBody) => Promise<Rules>
  drop: () => Promise<void>
}

export type Shift = Rules['changes'][number]
export type SaveBody = Omit<Schemas['SaveRules'], '$schema' | 'by'>

/** With what a draft begins. */
export type NewRules = Omit<Schemas['NewRules'], '$schema'>

/** By what a delivery was sifted last; undefined where that was no target. */
export function lastOf(delivery: Delivery): NewRules | undefined {
  const run = delivery.run?.target ? delivery.run : delivery.newest
  return run?.target && { target: run.target.name, mapping: run.mapping?.name }
}

/** Milliseconds between two looks at what others do. */
const lookEvery = 8000

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
  const others = shallowRef<Shift[]>([])
  const held = shallowRef<Sent>()
  const foreign = ref('')
  let watching = new AbortController()
  let sending: Promise<unknown> = Promise.resolve()
  const path = (): { params: { path: { id: string } } } => ({ params: { path: { id: id() } } })
  /** The draft as this page knows it: what is asked for is done on no other state. */
  const onState = (): { params: { path: { id: string }; header?: { 'If-Match': string } } } => ({
    params: {
      path: { id: id() },
      header: rules.value && { 'If-Match': `"${rules.value.state}"` },
    },
  })
  /** Looks from time to time whether others have changed the draft, or saved versions. */
  const looking = window.setInterval(() => void look(), lookEvery)
  const onFocus = (): void => void look()
  window.addEventListener('focus', onFocus)
  onBeforeUnmount(() => {
    watching.abort()
    window.clearInterval(looking)
    window.removeEventListener('focus', onFocus)
  })

  async function look(): Promise<void> {
    const known = rules.value
    if (!known || isBusy.value || document.visibilityState !== 'visible' || away.value) return
    try {
      const { rules: now } = await answered(api.GET('/api/v1/deliveries/{id}/drafts', path()))
      const isNewer = Boolean(known.target.newest ?? known.mapping?.newest)
      if (!now || rules.value !== known || isBusy.value) return
      if (now.state !== known.state || Boolean(now.newer) !== isNewer) await meet(known)
    } catch {
      // It is looked again.
    }
  }

  /** Loads the draft as others have left it, says what they did, and returns it. */
  async function meet(known: Rules | undefined): Promise<{ now: Rules; theirs: Shift[] }> {
    const now = await answered(api.GET('/api/v1/deliveries/{id}/rules', path()))
    const before = new Set((known?.changes ?? []).map(keyOf))
    const theirs = now.changes.filter((c) => !before.has(keyOf(c)) && !mine.has(c.id ?? ''))
    others.value = [...others.value, ...theirs]
    if (now.state !== rules.value?.state) take(now)
    else rules.value = now
    return { now, theirs }
  }

  /** The changes that this page has made. */
  const mine = new Set<string>()
  const keyOf = (c: Shift): string => c.id || `${c.at} ${c.words}`

  /** Sends a change; on a state that others have changed it is made if they changed something else. */
  async function send(s: Sent): Promise<Rules> {
    mine.add(s.id)
    const isShort = JSON.stringify(s.steps).length < 50_000 // a page that is left sends no more than that
    for (;;) {
      const known = rules.value
      try {
        const made = await answered(
          api.POST('/api/v1/deliveries/{id}/rules/changes', {
            ...onState(),
            body: bodyOf(s),
            keepalive: isShort,
          }),
        )
        outbox.remove(s.id)
        return made
      } catch (e) {
        if (!(e instanceof ServiceError && e.status === 412)) {
          // What the service refuses is not sent again; what it did not answer is.
          if (e instanceof ServiceError && e.status > 0 && e.status !== 401) outbox.remove(s.id)
          throw e
        }
        const { now, theirs } = await meet(known)
        if (theirs.some((c) => overlap(s.steps, c.steps))) {
          held.value = s
          outbox.remove(s.id)
          return now
        }
      }
    }
  }

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
      if (e instanceof ServiceError && e.status === 412) {
        try {
          await meet(rules.value)
          error.value = undefined
        } catch (again) {
          error.value = again
        }
        return false
      }
      error.value = e
      return false
    } finally {
      isBusy.value = false
    }
  }

  /** Takes back the last change, if it is one's own. */
  async function undo(over = false): Promise<void> {
    foreign.value = ''
    await shift(() =>
      answered(
        api.POST('/api/v1/deliveries/{id}/rules/undo', {
          ...onState(),
          body: { ...author(), over: over || undefined },
          keepalive: true,
        }),
      ),
    )
    if (
      error.value instanceof ServiceError &&
      error.value.status === 409 &&
      error.value.message.includes('not yours')
    ) {
      foreign.value = error.value.message
      error.value = undefined
    }
  }

  return {
    others,
    held,
    foreign,
    async settle(make) {
      const s = held.value
      held.value = undefined
      if (s && make) await shift(() => send({ ...s, id: unlike() }))
    },
    forget() {
      others.value = []
      foreign.value = ''
    },
    rebase: () => shift(() => answered(api.POST('/api/v1/deliveries/{id}/rules/rebase', onState()))),
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
        const found = await answered(api.GET('/api/v1/deliveries/{id}/rules', path()))
        take(found)
        // What a page before this one sent, and did not see made, is made now.
        const made = new Set([...found.changes, ...found.undone].map((c) => c.id))
        for (const s of outbox.of(id())) {
          if (made.has(s.id)) outbox.remove(s.id)
          else void shift(() => send(s))
        }
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
    change(words, steps) {
      const s = { id: unlike(), delivery: id(), words, steps }
      outbox.add(s)
      return shift(() => send(s)).then((done) => done && held.value?.id !== s.id)
    },
    undo,
    async redo() {
      await shift(() =>
        answered(api.POST('/api/v1/deliveries/{id}/rules/redo', { ...onState(), body: author(), keepalive: true })),
      )
    },
    async save(body) {
      const asked = inTurn(() =>
        answered(
          api.POST('/api/v1/deliveries/{id}/rules/save', {
            ...onState(),
            body: { ...body, by: steward.get() || undefined },
          }),
        ),
      )
      let saved: Rules
      try {
        saved = await asked
      } catch (e) {
        // What others saved, or changed, is to be seen beside the question what becomes of one's own.
        if (e instanceof ServiceError && [409, 412].includes(e.status)) await meet(rules.value)
        throw e
      }
      take(saved)
      return saved
    },
    async drop() {
      await answered(api.DELETE('/api/v1/deliveries/{id}/rules', onState()))
      watching.abort()
      rules.value = rehearsal.value = undefined
    },
  }
}
