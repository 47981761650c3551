import { useCallback, useSyncExternalStore } from 'react'

/** The item that the address names: a part, a message, a target, or the form for a new target. */
export type Route =
  | { at: 'parts' }
  | { at: 'part'; key: string }
  | { at: 'message'; sequence: number }
  | { at: 'target'; id: string }
  | { at: 'add' }

function read(hash: string): Route {
  const [kind, ...rest] = hash.replace(/^#\/?/, '').split('/').map(decodeURIComponent)
  const text = rest.join('/')
  if (kind === 'part' && text) return { at: 'part', key: text }
  if (kind === 'message' && /^\d+$/.test(text)) return { at: 'message', sequence: Number(text) }
  if (kind === 'target' && text) return { at: 'target', id: text }
  return kind === 'add' ? { at: 'add' } : { at: 'parts' }
}

/** The address of an item in the page. It can be bookmarked, and sent to a colleague who views the same recording. */
export function hashOf(route: Route): string {
  switch (route.at) {
    case 'part':
      return `#/part/${encodeURIComponent(route.key)}`
    case 'message':
      return `#/message/${route.sequence}`
    case 'target':
      return `#/target/${encodeURIComponent(route.id)}`
    case 'add':
      return '#/add'
    default:
      return '#/'
  }
}

const listen = (changed: () => void) => {
  addEventListener('hashchange', changed)
  return () => removeEventListener('hashchange', changed)
}

/** The current address, and a function that goes to another. */
export function useRoute(): [Route, (route: Route) => void] {
  const hash = useSyncExternalStore(listen, () => location.hash)
  const go = useCallback((route: Route) => {
    location.hash = hashOf(route)
  }, [])
  return [read(hash), go]
}
