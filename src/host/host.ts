import { messageOf } from '../errors.js'
import type { Root } from '../kit/call.js'
import { readCatalogue } from '../link/catalogue.js'
import type { Link } from '../link/link.js'
import type { LinkOptions } from '../link/options.js'
import type { Question, QuestionAnswer } from '../link/server-requests.js'
import type { ModelReply, ModelRequest } from '../protocol/sampling.js'
import type {
  LogMessage,
  PromptDefinition,
  ResourceDefinition,
  TemplateDefinition,
  ToolDefinition,
} from '../protocol/types.js'
import { forModel } from '../protocol/ui.js'
import { type HostFunction, toFunctions } from './functions.js'

/** Opens a link to a server, with the host's options. Called again to reconnect after the server has ended. */
export type OpenLink = (options: LinkOptions) => Promise<Link>

/** A server of the host, and its current parts. */
export interface HostServer {
  readonly id: string
  state: 'connecting' | 'open' | 'down'
  /** The reason if the server is not available. */
  reason?: string
  name?: string
  version?: string
  revision?: string
  instructions?: string | undefined
  link?: Link
  tools: ToolDefinition[]
  resources: ResourceDefinition[]
  templates: TemplateDefinition[]
  prompts: PromptDefinition[]
  /** Names of tools that the user disabled. */
  readonly off: Set<string>
  /** Unique for every attached server, even if it reuses the id of a removed one. */
  readonly attachment: number
}

/** Handlers for requests of servers during a call; a conversation sets them. */
export interface HostHandlers {
  question(server: string, question: Question): Promise<QuestionAnswer>
  modelRequest(server: string, request: ModelRequest, signal: AbortSignal): Promise<ModelReply>
  log(server: string, message: LogMessage): void
}

export interface HostOptions {
  /** Roots that servers receive. */
  roots?: readonly Root[]
  /** True if the page of this host shows views. Otherwise servers offer neither views nor tools for views. */
  views?: boolean
  /** Called when a server changes. */
  onChange?: (server: HostServer) => void
}

/** Several servers, as a chat program uses them: their parts, the enabled tools, and their requests. */
export class Host {
  readonly #servers = new Map<string, HostServer>()
  readonly #openers = new Map<string, OpenLink>()
  readonly #options: HostOptions
  #attachments = 0
  handlers: HostHandlers | undefined

  constructor(options: HostOptions = {}) {
    this.#options = options
  }

  get servers(): readonly HostServer[] {
    return [...this.#servers.values()]
  }

  /** Adds a server. Does not reject: a server that fails to open is `down`, with the reason, and can be reopened. */
  async attach(id: string, open: OpenLink): Promise<HostServer> {
    const unused = this.#unusedId(id)
    const server: HostServer = {
      id: unused,
      state: 'connecting',
      tools: [],
      resources: [],
      templates: [],
      prompts: [],
      off: new Set(),
      attachment: ++this.#attachments,
    }
    this.#servers.set(unused, server)
    this.#openers.set(unused, open)
    await this.#open(server)
    return server
  }

  /** Reopens a server that is down. */
  async reopen(id: string): Promise<void> {
    const server = this.#servers.get(id)
    if (server && server.state === 'down') await this.#open(server)
  }

  async detach(id: string): Promise<void> {
    const server = this.#servers.get(id)
    this.#servers.delete(id)
    this.#openers.delete(id)
    await server?.link?.close()
    if (server) this.#changed(server)
  }

  /** Enables or disables a tool, or all tools of a server. */
  switch(id: string, isOn: boolean, tool?: string): void {
    const server = this.#servers.get(id)
    if (!server) return
    const names = tool === undefined ? server.tools.map(({ name }) => name) : [tool]
    for (const name of names) {
      if (isOn) server.off.delete(name)
      else server.off.add(name)
    }
    this.#changed(server)
  }

  /** The functions for a model: the enabled tools of all open servers, without those that only views may call. */
  functions(): HostFunction[] {
    const open = this.servers.filter(({ state }) => state === 'open')
    return toFunctions(
      open.map(({ id, tools, off }) => ({ id, tools: forModel(tools).filter(({ name }) => !off.has(name)) })),
    )
  }

  /**
   * Fingerprint of a tool and its server; it changes if the definition or the server changes. Undefined if there is no
   * such tool.
   */
  identityOf(id: string, tool: string): string | undefined {
    const server = this.#servers.get(id)
    const definition = server?.tools.find(({ name }) => name === tool)
    if (!server || !definition) return undefined
    return JSON.stringify([server.attachment, server.name, server.version, definition])
  }

  linkOf(id: string): Link | undefined {
    const server = this.#servers.get(id)
    return server?.state === 'open' ? server.link : undefined
  }

  async close(): Promise<void> {
    await Promise.all(this.servers.map(({ id }) => this.detach(id)))
  }

  async #open(server: HostServer): Promise<void> {
    const open = this.#openers.get(server.id)
    if (!open) return
    server.state = 'connecting'
    delete server.reason
    this.#changed(server)
    try {
      const link = await open(this.#linkOptions(server.id))
      // The server was removed while it was opening.
      if (!this.#servers.has(server.id)) return await link.close()
      server.link = link
      server.name = link.serverInfo.title ?? link.serverInfo.name
      server.version = link.serverInfo.version
      server.revision = link.revision
      server.instructions = link.instructions
      link.on('closed', ({ why }) => this.#gone(server, link, why))
      for (const event of ['toolsChanged', 'resourcesChanged', 'promptsChanged'] as const)
        link.on(event, () => void this.#refresh(server, link))
      await this.#refresh(server, link)
      if (server.state === 'connecting') server.state = 'open'
      this.#changed(server)
    } catch (error) {
      // It may have opened, but failed to list its parts.
      const { link } = server
      this.#down(server, messageOf(error))
      await link?.close()
    }
  }

  async #refresh(server: HostServer, link: Link): Promise<void> {
    try {
      Object.assign(server, await readCatalogue(link))
      this.#changed(server)
    } catch (error) {
      if (server.link === link && server.state === 'connecting') throw error
    }
  }

  #gone(server: HostServer, link: Link, why: string): void {
    if (server.link === link && this.#servers.has(server.id)) this.#down(server, why)
  }

  #down(server: HostServer, reason: string): void {
    server.state = 'down'
    server.reason = reason
    delete server.link
    this.#changed(server)
  }

  #linkOptions(id: string): LinkOptions {
    const { roots } = this.#options
    return {
      ...(roots ? { roots } : {}),
      views: this.#options.views === true,
      clientInfo: { name: 'jexo-host', version: '1.0.0' },
      onQuestion: async (question) => (await this.handlers?.question(id, question)) ?? { action: 'cancel' },
      onModelRequest: async (request, signal) => {
        if (!this.handlers) throw new Error('there is no active conversation')
        return this.handlers.modelRequest(id, request, signal)
      },
      onLog: (message) => this.handlers?.log(id, message),
    }
  }

  #changed(server: HostServer): void {
    this.#options.onChange?.(server)
  }

  #unusedId(wanted: string): string {
    const base = wanted.replace(/[^A-Za-z0-9_]+/g, '_').replace(/^_+|_+$/g, '') || 'server'
    for (let number = 1; ; number++) {
      const id = number === 1 ? base : `${base}_${number}`
      if (!this.#servers.has(id)) return id
    }
  }
}
