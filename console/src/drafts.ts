import { onBeforeUnmount, ref, shallowRef, type Ref, type ShallowRef } from 'vue'
import { answered, api, ServiceError, type Drafts } from './api/client'

export type LayoutDraft = NonNullable<Drafts['layout']>

/** Work on a delivery that is not saved yet. It is kept on the server as it is made. */
export interface DraftBook {
  /** What the server keeps, and what was changed since; undefined until it is known. */
  drafts: ShallowRef<Drafts | undefined>
  /** Something was changed that the server does not have yet. */
  isBehind: Ref<boolean>
  /** Why the last change could not be kept. */
  failure: Ref<unknown>
  /** What somebody else made of the draft meanwhile, or that it is gone; one's own change is not kept. */
  others: ShallowRef<LayoutDraft | 'gone' | undefined>
  /** Goes on with what others made of it: the next change is made on that. */
  seen: () => void
  /** Looks what others made of the draft. */
  look: () => Promise<void>
  /** The state that the next change is made on. */
  onState: () => { 'If-Match': string }
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
  const others = shallowRef<LayoutDraft | 'gone'>()
  let state = 'none'
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
        if (e instanceof ServiceError && e.status === 412) await look()
        else failure.value = e
      }
      isBehind.value = waiting !== undefined
    })
    return sending
  }

  /** Looks what others made of the draft. */
  async function look(): Promise<void> {
    try {
      const found = await answered(api.GET('/api/v1/deliveries/{id}/drafts', path()))
      others.value = found.layout ?? 'gone'
      failure.value = undefined
    } catch (e) {
      failure.value = e
    }
  }

  const onState = (): { 'If-Match': string } => ({ 'If-Match': `"${state}"` })

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
    state = 'none'
    drafts.value = { ...drafts.value, layout: undefined }
  }

  return {
    drafts,
    isBehind,
    failure,
    others,
    look,
    onState,
    seen() {
      state = (others.value !== 'gone' && others.value?.state) || 'none'
      others.value = undefined
    },
    async load() {
      await send()
      const found = await answered(api.GET('/api/v1/deliveries/{id}/drafts', path()))
      drafts.value = found
      state = found.layout?.state ?? 'none'
      others.value = undefined
      return found
    },
    keepLayout(draft) {
      drafts.value = { ...drafts.value, layout: draft }
      const where = path()
      waiting = async () => {
        if (others.value) return // until it is settled whose is kept
        const params = { ...where.params, header: onState() }
        const kept = await answered(
          api.PUT('/api/v1/deliveries/{id}/drafts/layout', { params, body: draft, keepalive: true }),
        )
        state = kept.state ?? 'none'
      }
      isBehind.value = true
      void send()
    },
    settled: send,
    async dropLayout() {
      waiting = async () => {
        if (others.value) return
        const params = { ...path().params, header: onState() }
        await answered(api.DELETE('/api/v1/deliveries/{id}/drafts/layout', { params }))
        forgetLayout()
      }
      await send()
    },
    forgetLayout,
  }
}
