import type { Given, Layout } from './api/client'

/** Whether a delivery that was read by a layout was read as settings say that were saved since. */
export function readsAs(saved: Given, read: Layout | Given): boolean {
  const now = read as Record<string, unknown>
  return Object.entries(saved).every(([name, value]) => JSON.stringify(value) === JSON.stringify(now[name]))
}
