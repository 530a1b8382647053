import { ref } from 'vue'

/** The service asks for its token: whatever is shown is not what stands there now. */
export const locked = ref(false)

/** Notes what an answer says about the token. */
export function noteStatus(status: number): void {
  if (status === 401) locked.value = true
}

/** This browser has a session, which can be signed out. */
export const signedIn = ref(false)

/** Asks the service whether this browser has a session. */
export async function findSession(): Promise<void> {
  try {
    const response = await fetch('/api/v1/token')
    if (!response.ok) return
    const { sessionEnds } = (await response.json()) as { sessionEnds?: string }
    signedIn.value = sessionEnds !== undefined
  } catch {
    // What else is asked says that the service does not answer.
  }
}

/** Ends the session of this browser; false where the service did not hear of it. */
export async function signOut(): Promise<boolean> {
  try {
    const response = await fetch('/api/v1/token', { method: 'DELETE' })
    if (!response.ok) return false
  } catch {
    return false
  }
  signedIn.value = false
  locked.value = true
  return true
}

/** Shows the token to the service, which gives this browser a session in a cookie out of reach of pages. */
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
    signedIn.value = true
    return undefined
  }
  return response.status === 401
    ? 'This is not the service’s token. Ask whoever runs the service for it.'
    : `The service answered ${response.status}.`
}
