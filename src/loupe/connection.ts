import { fileURLToPath } from 'node:url'
import { isJexoError, problems } from '../errors.js'
import { type Catalogue, readCatalogue } from '../link/catalogue.js'
import type { Link } from '../link/link.js'
import type { JsonObject, Message } from '../protocol/messages.js'
import { RpcError } from '../protocol/rpc-error.js'
import type { ServerCapabilities } from '../protocol/types.js'
import { shownPath } from '../target/kit-file.js'
import { openTarget, type Target } from '../target/target.js'
import type { Journal, TargetState } from './journal.js'

/** What the page knows of a target. */
export interface TargetView {
  id: string
  label: string
  state: TargetState
  /** Why it is not open, in a sentence. */
  problem: string | undefined
  name: string | undefined
  version: string | undefined
  revision: string | undefined
  instructions: string | undefined
  capabilities: ServerCapabilities | undefined
  catalogue: Catalogue
}
export type Asked = { result: JsonObject } | { error: { code: number | string; message: string; data?: unknown } }

const nothingOffered: Catalogue = { tools: [], resources: [], templates: [], prompts: [] }
const bin = fileURLToPath(new URL('../../bin/jexo.mjs', import.meta.url))

/** One target that Loupe looks at: opens it, writes down what passes, asks on the page's behalf, opens it again. */
export class Connection {
  readonly id: string
  readonly label: string
  readonly #target: Target
  readonly #journal: Journal
  readonly #changed: () => void
  readonly #running = new Map<string, AbortController>()
  #link: Link | undefined
  #state: TargetState = 'closed'
  #problem: string | undefined
  #catalogue = nothingOffered

  constructor(id: string, target: Target, journal: Journal, changed: () => void) {
    this.id = id
    this.label = labelOf(target)
    this.#target = target
    this.#journal = journal
    this.#changed = changed
  }

  get view(): TargetView {
    const link = this.#state === 'open' ? this.#link : undefined
    return {
      id: this.id,
      label: this.label,
      state: this.#state,
      problem: this.#problem,
      name: link?.serverInfo.title ?? link?.serverInfo.name,
      version: link?.serverInfo.version,
      revision: link?.revision,
      instructions: link?.instructions,
      capabilities: link?.capabilities,
      catalogue: this.#catalogue,
    }
  }

  /** Opens the target, or opens it again. Does not reject: what is wrong is part of the view. */
  async open(): Promise<void> {
    await this.#link?.close()
    this.#set('connecting', `connecting to ${this.label}`)
    try {
      const { link } = await openTarget(asChild(this.#target), {
        onMessage: (message, from) => this.#passed(message, from),
        // Declares that the page wants to see it; the notifications themselves pass by as messages.
        onUpstream: () => {},
        onStderr: (text) => this.#journal.add(this.id, { kind: 'stderr', text }),
      })
      this.#link = link
      link.on('closed', ({ why }) => this.#link === link && this.#set('closed', why))
      for (const event of ['toolsChanged', 'resourcesChanged', 'promptsChanged'] as const) {
        link.on(event, () => void this.#readCatalogue(link))
      }
      this.#set('open', `${link.serverInfo.name} ${link.serverInfo.version}, revision ${link.revision}`)
      await this.#readCatalogue(link)
    } catch (error) {
      this.#set('closed', reasonOf(error))
    }
  }

  /** Sends a request for the page; `key` is what it is cancelled by. */
  async ask(key: string, method: string, params: JsonObject): Promise<Asked> {
    const controller = new AbortController()
    this.#running.set(key, controller)
    try {
      const link = this.#state === 'open' ? this.#link : undefined
      if (!link) throw problems.closed(this.#problem ?? 'it is not open')
      const onProgress = method === 'tools/call' ? { onProgress: () => {} } : {}
      return {
        result: await link.ask(method, params, { signal: controller.signal, timeoutMs: 600_000, ...onProgress }),
      }
    } catch (error) {
      if (controller.signal.aborted) return { error: { code: 'cancelled', message: 'You cancelled it.' } }
      if (error instanceof RpcError) return { error: { ...error.toFault() } }
      return { error: { code: 'failed', message: error instanceof Error ? error.message : String(error) } }
    } finally {
      this.#running.delete(key)
    }
  }

  cancel(key: string): void {
    this.#running.get(key)?.abort(new DOMException('cancelled in Loupe', 'AbortError'))
  }

  async close(): Promise<void> {
    const link = this.#link
    this.#link = undefined
    await link?.close()
  }

  async #readCatalogue(link: Link): Promise<void> {
    try {
      this.#catalogue = await readCatalogue(link)
      this.#changed()
    } catch (error) {
      this.#problem = `its lists cannot be read: ${error instanceof Error ? error.message : error}`
      this.#changed()
    }
  }

  #passed(message: Message, from: 'client' | 'server'): void {
    this.#journal.add(this.id, { kind: 'message', from, message, bytes: JSON.stringify(message).length })
  }

  #set(state: TargetState, text: string): void {
    this.#state = state
    this.#problem = state === 'closed' ? text : undefined
    this.#journal.add(this.id, { kind: 'state', state, text })
    this.#changed()
  }
}

/** Why a target did not open: what a child said last, where it ended; the mend is the button beside it. */
function reasonOf(error: unknown): string {
  if (isJexoError(error) && error.code === 'closed')
    return error.what.replace(/^the connection is closed \((.*)\)$/s, '$1')
  return error instanceof Error ? error.message : String(error)
}

/** A kit runs in a child, as a host would start it: what it prints is seen, and it may crash without taking Loupe along. */
function asChild(target: Target): Target {
  if (target.kind !== 'kit') return target
  const env = { ...process.env, ...target.env }
  return {
    kind: 'child',
    command: { command: process.execPath, args: [bin, 'serve', target.file, '--show-upstream'], env },
  }
}

function labelOf(target: Target): string {
  if (target.kind === 'kit') return shownPath(target.file)
  return target.kind === 'url' ? target.url : [target.command.command, ...target.command.args].join(' ')
}
