import type { JsonObject } from '../protocol/messages.js'
import type { LogMessage } from '../protocol/types.js'
import type { LinkEvents } from './options.js'

type Listener<Name extends keyof LinkEvents> = (detail: LinkEvents[Name]) => void
type Event = { [Name in keyof LinkEvents]: { name: Name; detail: LinkEvents[Name] } }[keyof LinkEvents]

const changes = {
  'notifications/tools/list_changed': 'toolsChanged',
  'notifications/resources/list_changed': 'resourcesChanged',
  'notifications/prompts/list_changed': 'promptsChanged',
} as const

const listsChangedBy: Partial<Record<keyof LinkEvents, readonly string[]>> = {
  toolsChanged: ['tools/list'],
  resourcesChanged: ['resources/list', 'resources/templates/list'],
  promptsChanged: ['prompts/list'],
}

/** The lists that an event invalidates; undefined if it concerns no list. */
export const listsChangedIn = (event: Event): readonly string[] | undefined => listsChangedBy[event.name]

/** The event of a link for a notification of the server; undefined for other notifications, and for malformed ones. */
export function eventFor(method: string, params: JsonObject): Event | undefined {
  if (Object.hasOwn(changes, method)) {
    return { name: changes[method as keyof typeof changes], detail: undefined }
  }
  if (method === 'notifications/resources/updated' && typeof params.uri === 'string') {
    return { name: 'resourceUpdated', detail: { uri: params.uri } }
  }
  if (method === 'notifications/elicitation/complete' && typeof params.elicitationId === 'string') {
    return { name: 'questionFinished', detail: { elicitationId: params.elicitationId } }
  }
  if (method === 'notifications/message') return { name: 'log', detail: params as unknown as LogMessage }
  return undefined
}

/** The listeners of a link, by event. */
export class Listeners {
  readonly #listeners = new Map<string, Set<(detail: never) => void>>()

  /** Adds a listener; returns a function that removes it. */
  on<Name extends keyof LinkEvents>(name: Name, listener: Listener<Name>): () => void {
    const listeners = this.#listeners.get(name) ?? new Set()
    this.#listeners.set(name, listeners)
    listeners.add(listener as (detail: never) => void)
    return () => listeners.delete(listener as (detail: never) => void)
  }

  emit<Name extends keyof LinkEvents>(name: Name, detail: LinkEvents[Name]): void {
    for (const listener of [...(this.#listeners.get(name) ?? [])]) (listener as Listener<Name>)(detail)
  }
}
