import { onBeforeUnmount, ref, shallowRef, type Ref, type ShallowRef } from 'vue'
import { answered, api, type Drafts } from './api/client'

export type LayoutDraft = NonNullable<Drafts['layout']>

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
  dropLayout: () => Promise<void>
  /** Waits until the server has what was changed. */
  settled: () => Promise<void>
  /** Forgets a draft of a layout that the server has dropped by itself. */
  forgetLayout: () => void
}

export function useDrafts(id: () => string): DraftBook {
  const drafts = shallowRef<Drafts>()
  const isBehind = ref(false)
  const failure = ref<unknown>()
  let waiting: (() => Promise<unknown>) | undefined
  let sending = Promise.resolve()

  /** Sends what is waiting behind what is on its way, so that the last word is the last. */
  function send(): Promise<void> {
    sending = sending.then(async () => {
      const what = waiting
      waiting = undefined
      try {
        await what?.()
        if (what) failure.value = undefined
      } catch (e) {
        failure.value = e
      }
      isBehind.value = waiting !== undefined
    })
    return sending
  }

  const path = (): { params: { path: { id: string } } } => ({ params: { path: { id: id() } } })

  // A tab that is closed sends what it has; nothing is waited for.
  const leave = (): void => void send()
  window.addEventListener('pagehide', leave)
  onBeforeUnmount(() => {
    window.removeEventListener('pagehide', leave)
    void send()
  })

  function forgetLayout(): void {
    waiting = undefined
    isBehind.value = false
    drafts.value = { ...drafts.value, layout: undefined }
  }

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
      waiting = () =>
        answered(api.PUT('/api/v1/deliveries/{id}/drafts/layout', { ...where, body: draft, keepalive: true }))
      isBehind.value = true
      void send()
    },
    settled: send,
    async dropLayout() {
      forgetLayout()
      await sending
      await answered(api.DELETE('/api/v1/deliveries/{id}/drafts/layout', path()))
    },
    forgetLayout,
  }
}
