import { shallowRef } from 'vue'
import { answered, api } from './api/client'

/** What codes and actions mean, in a few words, as the service says it. */
const known = shallowRef<Map<string, string>>()
let asked: Promise<void> | undefined

function ask(): void {
  asked ??= answered(api.GET('/api/v1/violations'))
    .then(({ codes, actions }) => {
      known.value = new Map([
        ...codes.map((c): [string, string] => [c.code, c.words]),
        ...actions.map((a): [string, string] => [a.action, a.words]),
      ])
    })
    .catch(() => (asked = undefined)) // what is shown next asks again
}

/** What a code of a violation, or an action, means; itself until the service has said it. */
export function meaning(of: string): string {
  if (!known.value) ask()
  return known.value?.get(of) ?? of
}
