/** Settings of a layout that are being made: kept as a draft until they are saved, and taken back one by one. */
import { computed, ref, shallowRef, watch, type ComputedRef, type Ref, type ShallowRef } from 'vue'
import { answered, api, ServiceError, type Delivery, type Given } from '../api/client'
import type { DraftBook, LayoutDraft } from '../drafts'
import type { SettingName } from './settings'

export interface LayoutWork {
  /** Settings made by hand; the others are detected around them. */
  given: ShallowRef<Given>
  /** What was set before each change, for undo. */
  before: ShallowRef<Given[]>
  /** What was done last, in words. */
  said: Ref<string>
  isUnsaved: ComputedRef<boolean>
  /** What others have set, where it is another thing than what stands here. */
  theirs: ComputedRef<Given | undefined>
  /** Begins with what the draft holds, or else with the saved layout. */
  begin: (delivery: Delivery, draft: LayoutDraft | undefined) => void
  change: (to: Given, words?: string) => void
  set: <N extends SettingName>(name: N, value: Given[N]) => void
  detect: (name: SettingName) => void
  undo: () => void
  save: () => Promise<void>
  forget: () => Promise<void>
  /** Puts one's own settings in the place of those of others. */
  keepMine: () => void
  /** Goes on with those of others; undo brings one's own back. */
  takeTheirs: () => void
}

/** So many changes can be taken back. */
const mostSteps = 200

const isAlike = (a: unknown, b: unknown): boolean => JSON.stringify(a) === JSON.stringify(b)

/** The settings of the saved layout that were made by hand; the others were detected around them. */
function savedByHand(d: Delivery | undefined): Given {
  const saved = (d?.layout ?? {}) as Record<string, unknown>
  return Object.fromEntries(
    (d?.byHand ?? []).filter((name) => name in saved).map((name) => [name, saved[name]]),
  ) as Given
}

/** Whether a setting stands in the saved layout, made by hand, as it is taken. */
export const isSaved = (d: Delivery | undefined, name: SettingName, taken: Given): boolean =>
  (d?.byHand ?? []).includes(name) && isAlike(d?.layout?.[name], taken[name])

/** Works on the layout of `delivery`; `changed` reads it anew as the settings say. */
export function useLayoutWork(
  id: () => string,
  delivery: Ref<Delivery | undefined>,
  book: DraftBook,
  changed: () => Promise<void>,
  failed: (e: unknown) => void,
): LayoutWork {
  const given = shallowRef<Given>({})
  const before = shallowRef<Given[]>([])
  const said = ref('')

  function take(to: Given, steps: Given[]): void {
    given.value = to
    before.value = steps.slice(-mostSteps)
    const isAsSaved = delivery.value !== undefined && isAlike(to, savedByHand(delivery.value))
    if (isAsSaved && before.value.length === 0) void book.dropLayout().catch(failed)
    else book.keepLayout({ given: to, before: before.value })
    void changed()
  }

  function change(to: Given, words = ''): void {
    said.value = words
    take(to, [...before.value, given.value])
  }

  /** Does what takes the draft's place, unless others changed it meanwhile: that is settled first. */
  async function settle(done: (header: { 'If-Match': string }) => Promise<Delivery>, words: string): Promise<void> {
    failed(undefined)
    try {
      await book.settled()
      if (book.others.value) return
      delivery.value = await done(book.onState())
      book.forgetLayout()
      before.value = []
      said.value = words
    } catch (e) {
      if (e instanceof ServiceError && e.status === 412) await book.look()
      else failed(e)
    }
  }

  // What others saved is known before it is told.
  watch(book.others, async (others) => {
    try {
      if (others === 'gone')
        delivery.value = await answered(api.GET('/api/v1/deliveries/{id}', { params: { path: { id: id() } } }))
    } catch (e) {
      failed(e)
    }
  })

  const theirs = computed(() => {
    const others = book.others.value
    return others && (others === 'gone' ? savedByHand(delivery.value) : others.given)
  })

  return {
    given,
    before,
    said,
    isUnsaved: computed(() => delivery.value !== undefined && !isAlike(given.value, savedByHand(delivery.value))),
    theirs,
    begin(of, draft) {
      given.value = draft?.given ?? savedByHand(of)
      before.value = draft?.before ?? []
      said.value = ''
    },
    change,
    set(name, value) {
      const to = { ...given.value, [name]: value } as Given
      if (name === 'form' && value !== 'fixed') delete to.cuts
      if (name === 'form' && value === 'fixed') {
        delete to.delimiter
        delete to.quoteChar
      }
      change(to)
    },
    detect(name) {
      const to = { ...given.value }
      delete to[name]
      if (name === 'cuts' && to.form === 'fixed') delete to.form
      change(to)
    },
    undo() {
      const last = before.value[before.value.length - 1]
      if (last) take(last, before.value.slice(0, -1))
    },
    save: () =>
      settle(
        (header) =>
          answered(
            api.PUT('/api/v1/deliveries/{id}/layout', {
              params: { path: { id: id() }, query: { settle: true }, header },
              body: given.value,
            }),
          ),
        'Saved: runs and profiles read the delivery like this from now on, and other deliveries can take it over.',
      ),
    async forget() {
      const was = given.value
      await settle(
        (header) =>
          answered(api.DELETE('/api/v1/deliveries/{id}/layout', { params: { path: { id: id() }, header } })),
        'The saved layout was removed; runs detect it again.',
      )
      if (!delivery.value?.layout) take({}, [was])
    },
    keepMine() {
      book.seen()
      take(given.value, before.value)
    },
    takeTheirs() {
      const others = book.others.value
      const to = theirs.value
      if (!others || !to) return
      const steps = [...(others === 'gone' ? [] : (others.before ?? [])), given.value]
      book.seen()
      take(to, steps)
    },
  }
}
