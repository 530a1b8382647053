/** Milliseconds in which a second click at the same place is not meant for what has come there since. */
const soon = 700
const near = 4

/** What can be clicked, and what it says: a list that moves up puts another one, or other words, under the pointer. */
function meant(target: EventTarget | null): { element: Element | null; words: string } {
  let element = target instanceof Element ? target.closest('button, a, label, input, summary, [role], tr, li') : null
  if (element instanceof HTMLInputElement) element = element.labels?.[0] ?? element // a click on its label clicks it too
  return { element, words: element?.ariaLabel ?? element?.textContent ?? '' }
}

/**
 * Swallows the second click of a double click, or of an impatient hand, where what was clicked first is gone and
 * another thing lies under the pointer by now, and in what is marked to be done once. Keys are never meant so, nor is
 * a click behind one.
 */
export function guardClicks(page: Document): void {
  const none = { x: -1, y: -1, at: -soon, ...meant(null) }
  let last = none
  page.addEventListener('keydown', () => (last = none), { capture: true })
  page.addEventListener(
    'click',
    (e) => {
      if (e.detail === 0) return
      const now = { x: e.clientX, y: e.clientY, at: performance.now(), ...meant(e.target) }
      const before = last
      last = now
      if (now.at - before.at >= soon || Math.abs(now.x - before.x) > near || Math.abs(now.y - before.y) > near) return
      const isSame = now.element === before.element && now.words === before.words
      if (isSame && !now.element?.closest('[data-once]')) return
      e.stopPropagation()
      e.preventDefault()
    },
    { capture: true },
  )
}
