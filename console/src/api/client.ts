import createClient from 'openapi-fetch'
import { locked, noteStatus } from './access'
import { patient, untilBack } from './away'
import type { components, paths } from './schema'

type Schemas = components['schemas']
export type Delivery = Schemas['Delivery']
export type Run = Schemas['Run']
export type RunHead = Schemas['RunHead']
export type Target = Schemas['Target']
export type Mapping = Schemas['Mapping']
export type Matched = Schemas['Matched']
export type Group = Schemas['Group']
export type Remedy = Schemas['Remedy']
export type Reject = Schemas['Reject']
export type Rejects = Schemas['Rejects']
export type Tally = Schemas['Tally']
export type Layout = Schemas['Layout']
export type Given = Schemas['Given']
export type Evidence = Schemas['Evidence']
export type Reading = Schemas['Reading']
export type SavedLayout = Schemas['SavedLayout']
export type Sheet = Schemas['Sheet']
export type Window = Schemas['Window']
export type RowSeen = Schemas['Row']
export type LineSeen = Schemas['Line']
export type Problem = Schemas['Problem']
export type Problems = Schemas['Problems']
export type DeliveryProfile = Schemas['DeliveryProfile']
export type Profile = Schemas['Profile']
export type ColumnProfile = Schemas['Column']
export type Finding = Schemas['Finding']
export type ValueCount = Schemas['Value']
export type HistogramBin = Schemas['Bin']
export type Filter = Schemas['Filter']
export type Found = Schemas['Found']
export type Drafts = Schemas['Drafts']
export type Placed = Schemas['Placed']
export type Violations = Schemas['Violations']
export type Rules = Schemas['Rules']
export type RulesText = Schemas['RulesText']
export type Step = Schemas['Step']
export type Rehearsal = Schemas['Rehearsal']
export type ColumnFit = Schemas['ColumnFit']
export type BrokenRule = Schemas['BrokenRule']
export type WrongValue = Schemas['WrongValue']
export type MadeRow = Schemas['MadeRow']
export type MadeRows = Schemas['MadeRows']
export type Suggestion = Schemas['Suggestion']
export type Suggestions = Schemas['Suggestions']
export type Spellings = Schemas['Spellings']
export type Comparison = Schemas['Comparison']
export type Difference = Schemas['Difference']
export type TextVersion = Schemas['TextVersion']
export type Compared = Schemas['Compared']
export type RowsFound = Schemas['RowsFound']
export type MarkedCell = Schemas['MarkedCell']
export type Became = Schemas['Became']
export type Explanation = Schemas['Explanation']
export type ValuesFound = Schemas['ValuesFound']
export type TextView = Schemas['TextView']
export type TextUse = Schemas['TextUse']
export type ListedTable = Schemas['Listed']
export type Family = Schemas['Family']
export type RemedyHelp = Schemas['Help']
export type OutputForm = Schemas['OutputForm']
export type ColumnFields = Schemas['ColumnFields']
/** A property of a column as a form shows it. */
export type Property = Schemas['Asked']

export const api = createClient<paths>({ baseUrl: '', fetch: patient })

/** What the service says about a request that failed, in words. */
export class ServiceError extends Error {
  constructor(
    message: string,
    readonly details: string[] = [],
    readonly status = 0,
  ) {
    super(message)
  }
}

interface ProblemDetails {
  status?: number
  detail?: string
  errors?: { message?: string; location?: string }[] | null
}

/** The data of an answer, or a ServiceError. */
export async function answered<T>(call: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  let result
  try {
    result = await call
  } catch {
    throw new ServiceError(
      'The service did not answer, so that it is not known whether this was done. Look once it is back, and try again.',
    )
  }
  if (result.response.status === 204) return undefined as T
  if (result.data !== undefined) return result.data
  throw toError(result.error as ProblemDetails | undefined, result.response.status)
}

function toError(problem: ProblemDetails | undefined, status: number): ServiceError {
  noteStatus(status)
  const details = (problem?.errors ?? []).map((e) => (e.location ? `${e.location}: ${e.message}` : (e.message ?? '')))
  return new ServiceError(problem?.detail ?? `The service answered ${status}.`, details, status)
}

/** Uploads a file as a stream, with progress. */
export function upload(file: File, progress: (done: number) => void): { done: Promise<Delivery>; stop: () => void } {
  const request = new XMLHttpRequest()
  const done = new Promise<Delivery>((resolve, reject) => {
    request.open('POST', `/api/v1/deliveries?name=${encodeURIComponent(file.name)}`)
    request.setRequestHeader('Content-Type', 'application/octet-stream')
    request.upload.onprogress = (e) => progress(e.loaded)
    request.onerror = () => reject(new ServiceError('The connection broke off; nothing of the file was kept.'))
    request.onabort = () => reject(new ServiceError('Stopped; nothing of the file was kept.'))
    request.onload = () => {
      let body: unknown
      try {
        body = JSON.parse(request.responseText)
      } catch {
        body = undefined
      }
      if (request.status === 201) resolve(body as Delivery)
      else reject(toError(body as ProblemDetails | undefined, request.status))
    }
    request.send(file)
  })
  return { done, stop: () => request.abort() }
}

/** Whether the text of a YAML or JSON file is a mapping: it names itself so. */
export const isMapping = (text: string): boolean => /^\s*(\{\s*)?"?mapping"?\s*:/m.test(text)

/** Adds a target or a mapping from the text of a YAML or JSON file. */
export async function addText(text: string): Promise<Target | Mapping> {
  const library = isMapping(text) ? 'mappings' : 'targets'
  const request = new Request(`/api/v1/${library}`, {
    method: 'POST',
    headers: { 'Content-Type': 'application/yaml' },
    body: text,
  })
  let response: Response
  try {
    response = await patient(request)
  } catch {
    // The same text again gives the same version.
    await untilBack()
    return addText(text)
  }
  const body = await response.json()
  if (!response.ok) throw toError(body as ProblemDetails, response.status)
  return body as Target | Mapping
}

/** Follows a run until it ends; the returned function stops following. */
export function follow(id: string, each: (run: Run) => void, lost: (why: string) => void): () => void {
  let events: EventSource | undefined
  let isOver = false
  const stop = (): void => {
    isOver = true
    events?.close()
  }

  function open(): void {
    if (isOver) return
    events = new EventSource(`/api/v1/runs/${id}/events`)
    events.addEventListener('run', (e) => {
      const run = JSON.parse((e as MessageEvent<string>).data) as Run
      if (run.state !== 'waiting' && run.state !== 'running') stop()
      each(run)
    })
    events.addEventListener('ended', (e) =>
      lost((JSON.parse((e as MessageEvent<string>).data) as { reason: string }).reason),
    )
    events.onerror = () => {
      events?.close()
      if (!isOver && !locked.value) void again()
    }
  }

  /** Follows on when the service is back, if the run is still there. */
  async function again(): Promise<void> {
    await untilBack()
    try {
      const run = await answered(api.GET('/api/v1/runs/{id}', { params: { path: { id } } }))
      if (isOver) return
      each(run)
      if (run.state === 'waiting' || run.state === 'running') window.setTimeout(open, 500)
      else stop()
    } catch (e) {
      if (!isOver) lost(e instanceof Error ? e.message : String(e))
    }
  }

  open()
  return stop
}
