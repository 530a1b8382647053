/** Where the last click that changed something was, and when. */
let last = { x: -1, y: -1, at: 0 }

/** Milliseconds in which a second click at the same place is not meant for what has come there since. */
const soon = 700
const near = 4

/**
 * Whether a click is the second one of a double click, or of an impatient hand: what stood there is done, and another
 * thing may lie under the pointer by now. Keys are never meant so.
 */
export function isRepeated(e: MouseEvent): boolean {
  const now = performance.now()
  const is =
    e.detail > 0 &&
    now - last.at < soon &&
    Math.abs(e.clientX - last.x) <= near &&
    Math.abs(e.clientY - last.y) <= near
  last = { x: e.clientX, y: e.clientY, at: now }
  return is
}
