import type { ViewWindow } from '../../src/view/page/view-host.js'

type Message = {
  id?: unknown
  method?: string
  params?: Record<string, unknown>
  result?: unknown
  error?: unknown
}

/** A scripted host: it responds as configured, and records what it receives. */
export class ScriptedHost {
  readonly heard: Message[] = []
  /** Methods without a response. */
  readonly silent = new Set<string>()
  readonly #replies = new Map<string, Message>()
  readonly #waiting = new Map<unknown, (reply: Message) => void>()
  #listener: ((data: unknown) => void) | undefined
  #count = 0

  constructor(opening: object = {}) {
    this.reply('ui/initialize', {
      protocolVersion: '2026-01-26',
      hostInfo: { name: 'host', version: '1' },
      hostCapabilities: {
        serverTools: {},
        serverResources: {},
        message: {},
        updateModelContext: {},
        openLinks: {},
        logging: {},
      },
      hostContext: {
        theme: 'dark',
        locale: 'de-CH',
        displayMode: 'inline',
        availableDisplayModes: ['inline', 'fullscreen'],
      },
      ...opening,
    })
    this.reply('tools/call', { content: [] })
    this.reply('resources/read', { contents: [] })
    this.reply('ui/request-display-mode', { mode: 'fullscreen' })
  }

  readonly window: ViewWindow = {
    document: undefined,
    isEmbedded: true,
    post: (message) => queueMicrotask(() => this.#hear(message)),
    listen: (heard) => {
      this.#listener = heard
      return () => {
        this.#listener = undefined
      }
    },
  }
  readonly alone: ViewWindow = { document: undefined, isEmbedded: false, post: () => {}, listen: () => () => {} }

  reply(method: string, result: unknown): void {
    this.#replies.set(method, { result })
  }
  refuse(method: string, code: number, message: string): void {
    this.#replies.set(method, { error: { code, message } })
  }
  post(data: unknown): void {
    this.#listener?.(data)
  }
  notify(name: string, params: object): void {
    this.post({ jsonrpc: '2.0', method: `ui/notifications/${name}`, params })
  }
  ask(method: string, params: object = {}): Promise<Message> {
    const id = `h${++this.#count}`
    const reply = new Promise<Message>((resolve) => this.#waiting.set(id, resolve))
    this.post({ jsonrpc: '2.0', id, method, params })
    return reply
  }

  #hear(message: Message): void {
    const { id, method, result, error } = message
    if (method === undefined) return this.#waiting.get(id)?.(error ? { error } : { result })
    this.heard.push(message)
    if (id === undefined || this.silent.has(method)) return
    this.post({ jsonrpc: '2.0', id, ...(this.#replies.get(method) ?? { result: {} }) })
  }
}
