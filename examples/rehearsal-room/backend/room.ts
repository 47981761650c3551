import { randomBytes } from 'node:crypto'
import {
  type Attachment,
  Conversation,
  endpointFunctions,
  Host,
  type HostModel,
  type HostServer,
  openersFor,
  type Step,
  standInLimits,
  withoutSlowPatterns,
} from 'jexo/host'
import { uiOf } from 'jexo/host/frame'

/** The description of a server that the page receives. */
export interface ServerView {
  id: string
  state: HostServer['state']
  reason?: string | undefined
  name?: string | undefined
  about?: string | undefined
  revision?: string | undefined
  tools: {
    name: string
    title?: string | undefined
    about: string
    effect: 'read' | 'write'
    isOn: boolean
    /** Only views may call it; the model does not see it. */
    isForPagesOnly: boolean
    example?: unknown
  }[]
  resources: { uri: string; name: string; about: string }[]
  templates: { uriTemplate: string; name: string; about: string }[]
  prompts: { name: string; about: string; arguments: { name: string; about: string; required: boolean }[] }[]
}
export interface RoomView {
  servers: ServerView[]
  model: string
  /** Limits of the built-in stand-in for a model. */
  limits?: string | undefined
  isBusy: boolean
  /** Why a server cannot be attached. */
  trouble?: string | undefined
  /** Servers that wait for the user to sign in, each with the page for it. */
  signIns: { server: string; page: string }[]
  /** Address of the outer frame of views, on another port than the room. */
  viewProxy?: string | undefined
  /** Commands that run on this machine once the user confirms them. */
  toStart?: { text: string; commands: readonly string[] } | undefined
}
export type RoomEvent = { view: RoomView } | { step: Step } | { cleared: true }

/** Longer results are fetched when the user opens them. */
const mostShown = 6000

/** One user, several servers and one conversation: the state that the page shows. */
export class Room {
  /** Required by every request. It is part of the printed address and appears nowhere else. */
  readonly key = randomBytes(18).toString('base64url')
  readonly #host: Host
  readonly #model: HostModel
  readonly #listeners = new Set<(event: RoomEvent) => void>()
  #conversation: Conversation
  #trouble: string | undefined
  #toStart: RoomView['toStart']
  readonly #signIns = new Map<string, string>()
  /** Set when its port is open. */
  viewProxy: string | undefined

  constructor(model: HostModel) {
    this.#model = model
    this.#host = new Host({ views: true, onChange: () => this.#tellView() })
    this.#conversation = this.#begin()
  }

  get view(): RoomView {
    return {
      servers: this.#host.servers.map(serverView),
      model: this.#model.name,
      ...(this.#model.name === 'stand-in' ? { limits: standInLimits } : {}),
      isBusy: this.#conversation.isBusy,
      viewProxy: this.viewProxy,
      trouble: this.#trouble,
      toStart: this.#toStart,
      signIns: [...this.#signIns].map(([server, page]) => ({ server, page })),
    }
  }

  /** Calls a listener for each event from now on, after the existing listeners. Returns a function that ends this. */
  listen(listener: (event: RoomEvent) => void): () => void {
    listener({ view: this.view })
    for (const step of this.#conversation.steps) listener({ step: slim(step) })
    this.#listeners.add(listener)
    return () => this.#listeners.delete(listener)
  }

  /**
   * Attaches the server that a text names. The view shows texts that cannot be read. Commands run only if they were
   * given when the room was started, or are confirmed with `confirm`.
   */
  async attach(text: string, isConfirmed = false): Promise<void> {
    this.#trouble = undefined
    this.#toStart = undefined
    try {
      const openers = await openersFor(text.trim(), { onSignIn: this.#asksSignIn })
      const commands = openers.flatMap(({ starts }) => starts ?? [])
      if (commands.length > 0 && !isConfirmed) this.#toStart = { text, commands }
      else if (openers.length === 0) this.#trouble = `${text}: there are no servers in it`
      // Slow servers delay nobody: the view shows the state of each.
      else for (const { id, open } of openers) void this.#host.attach(id, open)
    } catch (error) {
      this.#trouble = error instanceof Error ? error.message : String(error)
    }
    this.#tellView()
  }
  #asksSignIn = (server: string, page: URL | undefined): void => {
    if (page) this.#signIns.set(server, page.href)
    else this.#signIns.delete(server)
    this.#tellView()
  }
  /** Runs the commands that the view shows, or drops them. */
  async confirm(isConfirmed: boolean): Promise<void> {
    const asked = this.#toStart
    this.#toStart = undefined
    if (asked && isConfirmed) await this.attach(asked.text, true)
    else this.#tellView()
  }
  detach = (id: string) => this.#host.detach(id)
  reopen = (id: string) => this.#host.reopen(id)
  switch = (id: string, isOn: boolean, tool?: string) => this.#host.switch(id, isOn, tool)

  /** Sends the user's text; the conversation continues in the background. */
  say(text: string, attached: readonly Attachment[]): boolean {
    if (this.#conversation.isBusy) return false
    void this.#conversation.say(text, attached).finally(() => this.#tellView())
    this.#tellView()
    return true
  }
  /** The tool of a call as it is now, and the tools that its view may call. */
  toolsOf(id: number) {
    const step = this.#conversation.steps.find((known) => known.id === id)
    return this.#host.servers.find((server) => step?.kind === 'call' && server.id === step.server)?.tools ?? []
  }
  /** Ends this conversation and starts a new one. */
  clear(): void {
    this.#conversation.stop()
    this.#conversation = this.#begin()
    this.#tell({ cleared: true })
    this.#tellView()
  }
  get conversation(): Conversation {
    return this.#conversation
  }

  async read(server: string, uri: string): Promise<Attachment> {
    const { contents } = await this.#link(server).read(uri)
    const text = contents
      .map((item) => ('text' in item ? String(item.text) : `(${item.mimeType ?? 'bytes'})`))
      .join('\n')
    return { label: uri, text }
  }
  async fill(server: string, prompt: string, args: Record<string, string>): Promise<Attachment> {
    const { messages } = await this.#link(server).fill(prompt, args)
    const text = messages.map(({ content }) => {
      if (content.type === 'text') return content.text
      if (content.type === 'resource' && 'text' in content.resource)
        return `[${content.resource.uri}]\n${content.resource.text}`
      return `(${content.type})`
    })
    return { label: prompt, text: text.join('\n\n') }
  }
  complete(
    server: string,
    of: { prompt: string } | { template: string },
    name: string,
    value: string,
    filled: Record<string, string>,
  ) {
    return this.#link(server).complete(of, { name, value }, filled)
  }
  /** The tools that the model sees, in the format of chat endpoints. */
  functions = () => endpointFunctions(this.#host.functions())

  /** A step in full. */
  whole(id: number): Step | undefined {
    return this.#conversation.steps.find((step) => step.id === id)
  }

  async close(): Promise<void> {
    this.#conversation.stop()
    await this.#host.close()
  }

  #begin(): Conversation {
    const conversation: Conversation = new Conversation(this.#host, {
      model: this.#model,
      onStep: (step) => conversation === this.#conversation && this.#tell({ step: slim(step) }),
    })
    return conversation
  }
  #link(server: string) {
    const link = this.#host.linkOf(server)
    if (!link) throw new Error(`${server} is down`)
    return link
  }
  #tellView(): void {
    this.#tell({ view: this.view })
  }
  #tell(event: RoomEvent): void {
    for (const listener of this.#listeners) listener(event)
  }
}

function serverView({
  id,
  state,
  reason,
  name,
  instructions,
  revision,
  tools,
  off,
  resources,
  templates,
  prompts,
}: HostServer): ServerView {
  return {
    id,
    state,
    reason,
    name,
    about: instructions,
    revision,
    tools: tools.map(({ name, title, description = '', annotations, inputSchema, _meta = {} }) => ({
      name,
      isForPagesOnly: !uiOf({ _meta }).isForModel,
      title: title ?? annotations?.title,
      about: description,
      effect: annotations?.readOnlyHint === true ? 'read' : 'write',
      isOn: !off.has(name),
      example: Array.isArray(inputSchema.examples) ? inputSchema.examples[0] : undefined,
    })),
    resources: resources
      .slice(0, 200)
      .map(({ uri, name, title, description = '' }) => ({ uri, name: title ?? name, about: description })),
    templates: templates.map(({ uriTemplate, name, title, description = '' }) => ({
      uriTemplate,
      name: title ?? name,
      about: description,
    })),
    prompts: prompts.map(({ name, description = '', arguments: given = [] }) => ({
      name,
      about: description,
      arguments: given.map(({ name, description = '', required = false }) => ({
        name,
        about: description,
        required,
      })),
    })),
  }
}

/** A step as the page receives it: long results are cut, and fetched when they are opened. */
function slim(step: Step): Step {
  // Patterns of a server could block the page; the link checks the answer.
  if (step.kind === 'question' && step.question.kind === 'form')
    return { ...step, question: { ...step.question, schema: withoutSlowPatterns(step.question.schema) } }
  if (step.kind !== 'call' || !step.result) return step
  const isLong = JSON.stringify(step.result).length > mostShown
  if (!isLong && (step.text?.length ?? 0) <= mostShown) return step
  const { result: _, ...rest } = step
  return { ...rest, text: `${step.text?.slice(0, mostShown)}…` }
}
