import { ref } from 'vue'
import { answered, api, ServiceError, type Target } from '../api/client'

export type Library = 'targets' | 'mappings' | 'codes'

/** A target, mapping or code list as lists show it; a mapping says for which target it is. */
export type ShelfItem = Target & { for?: string }

/** A target that was made of something else, and what of that it could not take. */
export interface Made {
  name?: string
  text: string
  mapping?: string
  left: string[]
}

/** What people call the texts of a library. */
export const libraryWords: Record<Library, { one: string; many: string; title: string }> = {
  targets: { one: 'target', many: 'targets', title: 'Targets' },
  mappings: { one: 'mapping', many: 'mappings', title: 'Mappings' },
  codes: { one: 'code list', many: 'code lists', title: 'Code lists' },
}

const legal = /^[\p{L}\p{N}_][\p{L}\p{N}_-]{0,62}$/u

/** Whether names are taken, asked while they are typed. */
export function useNames(): {
  look: (library: Library, name: string) => Promise<void>
  wrong: (library: Library, name: string) => string
} {
  const taken = ref<Record<string, boolean>>({})
  return {
    async look(library, name) {
      if (!legal.test(name) || `${library} ${name}` in taken.value) return
      try {
        const path = { params: { path: { name } } }
        await answered(
          library === 'targets'
            ? api.GET('/api/v1/targets/{name}', path)
            : library === 'mappings'
              ? api.GET('/api/v1/mappings/{name}', path)
              : api.GET('/api/v1/codes/{name}', path),
        )
        taken.value = { ...taken.value, [`${library} ${name}`]: true }
      } catch (e) {
        if (e instanceof ServiceError && e.status === 404)
          taken.value = { ...taken.value, [`${library} ${name}`]: false }
      }
    },
    wrong(library, name) {
      if (!legal.test(name)) return 'A name is made of letters, digits, _ and -, and begins with none of the last.'
      return taken.value[`${library} ${name}`] ? `There is a ${libraryWords[library].one} of this name already.` : ''
    },
  }
}

/** Asks the service for something of a text; its library is a part of the path. */
export async function ask<T>(
  path: string,
  method = 'GET',
  body?: unknown,
  kind = 'application/json',
  headers: Record<string, string> = {},
): Promise<T> {
  const response = await fetch(`/api/v1/${path}`, {
    method,
    headers: body === undefined ? headers : { ...headers, 'Content-Type': kind },
    body: body === undefined ? undefined : kind === 'application/json' ? JSON.stringify(body) : (body as BodyInit),
  })
  const data: unknown = response.status === 204 ? undefined : await response.json()
  return answered(Promise.resolve(response.ok ? { data: data as T, response } : { error: data, response }))
}
