import type { Asked, TargetView } from '../../src/loupe/connection.js'
import type { JournalEntry } from '../../src/loupe/journal.js'

export type { Asked, JournalEntry, TargetView }

/** The token of the link is kept for this tab only, and taken out of the address bar. */
function takeToken(): string {
  const url = new URL(location.href)
  const given = url.searchParams.get('token')
  if (given !== null) {
    sessionStorage.setItem('token', given)
    url.searchParams.delete('token')
    history.replaceState(null, '', url)
  }
  return given ?? sessionStorage.getItem('token') ?? ''
}

const token = takeToken()

async function post(path: string, body: unknown): Promise<Response> {
  return fetch(path, {
    method: 'POST',
    headers: { 'content-type': 'application/json', 'x-jexo-token': token },
    body: JSON.stringify(body),
  })
}

/** Sends a request to a target; never rejects. `key` is what it is cancelled by. */
export async function ask(target: string, key: string, method: string, params: object): Promise<Asked> {
  try {
    const response = await post(`/api/targets/${target}/ask`, { key, method, params })
    return (await response.json()) as Asked
  } catch {
    return { error: { code: 'failed', message: 'Loupe itself does not answer; is the command still running?' } }
  }
}

export const cancel = (target: string, key: string): Promise<Response> =>
  post(`/api/targets/${target}/cancel`, { key })
export const reopen = (target: string): Promise<Response> => post(`/api/targets/${target}/reopen`, {})

/** Follows what happens: entries of the journal and the state of the targets. Gives what ends it. */
export function follow(
  onEntries: (entries: JournalEntry[]) => void,
  onTargets: (targets: TargetView[]) => void,
  onConnected: (state: 'live' | 'lost' | 'refused') => void,
): () => void {
  const source = new EventSource(`/api/journal?token=${encodeURIComponent(token)}`)
  let gathered: JournalEntry[] = []
  source.addEventListener('entry', (event) => {
    // Many come at once; the page draws them together.
    if (gathered.length === 0) requestAnimationFrame(() => onEntries(gathered.splice(0)))
    gathered.push(JSON.parse((event as MessageEvent<string>).data) as JournalEntry)
  })
  source.addEventListener('targets', (event) => onTargets(JSON.parse((event as MessageEvent<string>).data)))
  source.onopen = () => onConnected('live')
  source.onerror = () => onConnected(source.readyState === EventSource.CLOSED ? 'refused' : 'lost')
  return () => {
    gathered = []
    source.close()
  }
}
