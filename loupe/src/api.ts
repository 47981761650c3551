import type { BenchView, Start } from '../../src/loupe/bench.js'
import type { PartMark } from '../../src/loupe/catalogue-marks.js'
import type { ClientSide } from '../../src/loupe/client-side.js'
import type { Copies } from '../../src/loupe/copies.js'
import type { OpenQuestion } from '../../src/loupe/questions.js'
import type { SlimEntry } from '../../src/loupe/slim.js'
import type { Asked, CatalogueView, TargetView } from '../../src/loupe/view.js'
import type { TapeEntry } from '../../src/tape/entry.js'

export type {
  Asked,
  BenchView,
  CatalogueView,
  ClientSide,
  Copies,
  OpenQuestion,
  PartMark,
  SlimEntry,
  Start,
  TapeEntry,
  TargetView,
}

/** The token of the link is stored by the browser for this address, and removed from the address bar. */
function takeToken(): string {
  const url = new URL(location.href)
  const given = url.searchParams.get('token')
  if (given !== null) {
    localStorage.setItem('token', given)
    url.searchParams.delete('token')
    history.replaceState(null, '', url)
  }
  return given ?? localStorage.getItem('token') ?? ''
}

const token = takeToken()
const silent = 'Loupe does not respond. Is the command still running?'

/** Sends a request to the backend; throws an `Error` with its message if it refuses. */
async function request<T>(method: string, path: string, body?: unknown): Promise<T> {
  const response = await send(method, path, body)
  const value = response.status === 204 ? undefined : await response.json()
  if (!response.ok) throw new Error(String((value as { error?: unknown }).error ?? response.statusText))
  return value as T
}

async function send(method: string, path: string, body?: unknown): Promise<Response> {
  const isText = typeof body === 'string'
  try {
    return await fetch(path, {
      method,
      headers: { 'x-jexo-token': token, ...(isText ? {} : { 'content-type': 'application/json' }) },
      ...(body === undefined ? {} : { body: isText ? body : JSON.stringify(body) }),
    })
  } catch {
    throw new Error(silent)
  }
}

/** Sends a request to a target; never rejects. `key` identifies it for cancellation. */
export async function ask(target: string, key: string, method: string, params: object): Promise<Asked> {
  try {
    const response = await send('POST', `/api/targets/${target}/ask`, { key, method, params })
    return (await response.json()) as Asked
  } catch (error) {
    return { error: { code: 'failed', message: (error as Error).message } }
  }
}

/** Records the messages between a view and this page, its host. */
export const tellPageMessages = (
  target: string,
  view: string,
  messages: readonly { from: 'host' | 'page'; message: object }[],
) => request('POST', `/api/targets/${target}/page`, { view, messages })
export const cancel = (target: string, key: string) => request('POST', `/api/targets/${target}/cancel`, { key })
export const reopen = (target: string) => request('POST', `/api/targets/${target}/reopen`, {})
export const removeTarget = (target: string) => request('DELETE', `/api/targets/${target}`)
export const catalogueOf = (target: string) => request<CatalogueView>('GET', `/api/targets/${target}/catalogue`)
export const setClient = (target: string, client: ClientSide) =>
  request('PUT', `/api/targets/${target}/client`, client)
export const answerQuestion = (target: string, requestId: string | number, answer: object) =>
  request('POST', `/api/targets/${target}/answer`, { requestId, answer })
export const copiesOf = (target: string, method: string, params: object) =>
  request<Copies>('POST', `/api/targets/${target}/copies`, { method, params })
export const entryOf = (sequence: number) => request<TapeEntry>('GET', `/api/entries/${sequence}`)
export const configNames = (file: string) => request<{ names: string[] }>('POST', '/api/config-entries', { file })
export const openTapeText = (name: string, text: string) =>
  request('POST', `/api/tapes?name=${encodeURIComponent(name)}`, text)

export interface NewTarget {
  text: string
  env?: Record<string, string>
  headers?: Record<string, string>
  cwd?: string
  confirmed?: boolean
}
/** Adds a target. If that would start a process, nothing is started, and a description of the process is returned. */
export const addTarget = (target: NewTarget) =>
  request<{ id?: string; starts?: Start }>('POST', '/api/targets', target)

export interface CaseCall {
  target: string
  method: string
  params: object
  outcome: Asked
}
export const caseDraft = (call: CaseCall) =>
  request<{ text: string }>('POST', '/api/cases', { ...call, isDraft: true })
export const saveCase = (call: CaseCall) => request<{ file: string }>('POST', '/api/cases', call)

/** Downloads the recording as a file. */
export async function downloadTape(): Promise<void> {
  const response = await send('GET', '/api/tape')
  const name =
    /filename="([^"]+)"/.exec(response.headers.get('content-disposition') ?? '')?.[1] ?? 'loupe.tape.jsonl'
  saveBlob(await response.blob(), name)
}

export function saveBlob(blob: Blob, name: string): void {
  const link = document.createElement('a')
  link.href = URL.createObjectURL(blob)
  link.download = name
  link.click()
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000)
}

/** Follows new entries of the journal and the state of all targets. Returns a function that stops it. */
export function follow(
  onEntries: (entries: SlimEntry[]) => void,
  onBench: (bench: BenchView) => void,
  onConnected: (state: 'live' | 'lost' | 'refused') => void,
): () => void {
  const source = new EventSource(`/api/follow?token=${encodeURIComponent(token)}`)
  let gathered: SlimEntry[] = []
  source.addEventListener('entries', (event) => {
    // Many arrive at once; the page draws them together.
    if (gathered.length === 0) setTimeout(() => onEntries(gathered.splice(0)), 16)
    gathered.push(...(JSON.parse((event as MessageEvent<string>).data) as SlimEntry[]))
  })
  source.addEventListener('bench', (event) => onBench(JSON.parse((event as MessageEvent<string>).data)))
  source.onopen = () => onConnected('live')
  source.onerror = () => onConnected(source.readyState === EventSource.CLOSED ? 'refused' : 'lost')
  return () => {
    gathered = []
    source.close()
  }
}
