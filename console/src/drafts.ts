import { onBeforeUnmount, ref, shallowRef, type Ref, type ShallowRef } from 'vue'
import { answered, api, type Drafts } from './api/client'

type Kind = 'layout' | 'target'
export type LayoutDraft = NonNullable<Drafts['layout']>
export type TextDraft = NonNullable<Drafts['target']>

/** Work on a delivery that is not saved yet. It is kept on the server as it is made. */
export interface DraftBook {
  /** What the server keeps, and what was changed since; undefined until it is known. */
  drafts: ShallowRef<Drafts | undefined>
  /** Something was changed that the server does not have yet. */
  isBehind: Ref<boolean>
  /** Why the last change could not be kept. */
  failure: Ref<unknown>
  load: () => Promise<Drafts>
  keepLayout: (draft: LayoutDraft) => void
  keepTarget: (draft: TextDraft) => void
  drop: (kind: Kind) => Promise<void>
  /** Waits until the server has what was changed. */
  settled: () => Promise<void>
  /** Forgets a draft that the server has dropped by itself. */
  forget: (kind: Kind) => void
}

/** How long typing rests before a draft is sent, in milliseconds. */
const rest = 300

export function useDrafts(id: () => string): DraftBook {
  const drafts = shallowRef<Drafts>()
  const isBehind = ref(false)
  const failure = ref<unknown>()
  const waiting = new Map<Kind, () => Promise<unknown>>()
  let timer = 0
  let sending = Promise.resolve()

  /** Sends what is waiting, one after the other, so that the last word is the last. */
  function send(): Promise<void> {
    window.clearTimeout(timer)
    sending = sending.then(async () => {
      for (const [kind, what] of [...waiting]) {
        if (waiting.get(kind) === what) waiting.delete(kind)
        try {
          await what()
          failure.value = undefined
        } catch (e) {
          failure.value = e // what comes after it is sent all the same
        }
      }
      isBehind.value = waiting.size > 0
    })
    return sending
  }

  function wait(kind: Kind, what: () => Promise<unknown>, ms: number): void {
    waiting.set(kind, what)
    isBehind.value = true
    window.clearTimeout(timer)
    timer = window.setTimeout(() => void send(), ms)
  }

  const path = (): { params: { path: { id: string } } } => ({ params: { path: { id: id() } } })

  // A tab that is closed sends what it has; nothing is waited for.
  const leave = (): void => void send()
  window.addEventListener('pagehide', leave)
  onBeforeUnmount(() => {
    window.removeEventListener('pagehide', leave)
    void send()
  })

  return {
    drafts,
    isBehind,
    failure,
    async load() {
      await send()
      const found = await answered(api.GET('/api/v1/deliveries/{id}/drafts', path()))
      drafts.value = found
      return found
    },
    keepLayout(draft) {
      drafts.value = { ...drafts.value, layout: draft }
      const where = path()
      wait('layout', () => answered(api.PUT('/api/v1/deliveries/{id}/drafts/layout', { ...where, body: draft, keepalive: true })), 0)
    },
    keepTarget(draft) {
      drafts.value = { ...drafts.value, target: draft }
      const where = path()
      const keepalive = draft.text.length + (draft.before?.length ?? 0) < 20_000
      wait('target', () => answered(api.PUT('/api/v1/deliveries/{id}/drafts/target', { ...where, body: draft, keepalive })), rest)
    },
    settled: send,
    async drop(kind) {
      this.forget(kind)
      await sending
      await answered(api.DELETE('/api/v1/deliveries/{id}/drafts/{kind}', { params: { path: { id: id(), kind } } }))
    },
    forget(kind) {
      waiting.delete(kind)
      isBehind.value = waiting.size > 0
      drafts.value = { ...drafts.value, [kind]: undefined }
    },
  }
}
