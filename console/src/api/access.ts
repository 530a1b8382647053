import { ref } from 'vue'

/** The service asks for its token: whatever is shown is not what stands there now. */
export const locked = ref(false)

/** Notes what an answer says about the token. */
export function noteStatus(status: number): void {
  if (status === 401) locked.value = true
}

/** Shows the token to the service, which keeps it in a cookie out of reach of pages. */
export async function signIn(token: string): Promise<string | undefined> {
  let response: Response
  try {
    response = await fetch('/api/v1/token', {
      method: 'POST',
      headers: { 'Content-Type': 'application/json' },
      body: JSON.stringify({ token }),
    })
  } catch {
    return 'The service does not answer. Is it still running?'
  }
  if (response.ok) {
    locked.value = false
    return undefined
  }
  return response.status === 401
    ? 'This is not the service’s token. Ask whoever runs the service for it.'
    : `The service answered ${response.status}.`
}
