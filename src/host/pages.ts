import { messageOf } from '../errors.js'
import type { Link } from '../link/link.js'
import type { JsonObject } from '../protocol/messages.js'
import type { ContentBlock, ReadResult, ToolDefinition, ToolResult } from '../protocol/types.js'
import { isViewType, uiOf, type ViewMeta, viewMetaOf } from '../protocol/ui.js'
import { textOf } from '../replay/case-file.js'
import { refusals, ViewError } from '../view/wire/peer.js'
import { hostErrors } from './errors.js'
import type { Attachment, CallStep, PageCallStep, PageMessageStep, Step } from './step.js'

/** What pages need of their conversation. */
export interface PagesSide {
  stepOf(id: number): Step | undefined
  linkOf(server: string): Link | undefined
  toolsOf(server: string): readonly ToolDefinition[]
  add(step: Step): void
  changed(step: Step): void
  nextId(): number
  /** Sends a message of a page as a turn of the conversation. Throws an `Error` while the model is at work. */
  say(text: string, mark: Attachment, tool: string): void
  /** Decides a message without a person; undefined leaves it to them. */
  decide(step: PageMessageStep): boolean | undefined
}

/** The document of a view, and what it declares. */
export interface LoadedView {
  uri: string
  html: string
  meta: ViewMeta
}

/** What a page may tell the model, in characters. */
const mostCharacters = 100_000

/**
 * The pages that calls of a conversation show: each may call tools for pages and read resources of its own server, and address the conversation.
 * Calls are acts of the person and never told to the model; messages and context are, marked as the page's.
 */
export class Pages {
  readonly #side: PagesSide
  readonly #contexts = new Map<number, Attachment>()
  readonly #deciding = new Map<number, (isSent: boolean) => void>()

  constructor(side: PagesSide) {
    this.#side = side
  }

  /** Reads the view of a call. Rejects with a `JexoError` if there is none or it is not a view. */
  async view(id: number): Promise<LoadedView> {
    const { call, link } = this.#open(id)
    const uri = call.view
    if (uri === undefined) throw hostErrors.noView(call.tool)
    const { contents } = await link.read(uri)
    const found = contents.find((one) => one.uri === uri) ?? contents[0]
    if (!found || !isViewType(found.mimeType)) throw hostErrors.notAView(uri, found?.mimeType)
    const html = found.text ?? new TextDecoder().decode(Buffer.from(found.blob ?? '', 'base64'))
    return { uri, html, meta: viewMetaOf(found) }
  }

  /** Calls a tool of the same server for the page. Rejects with a `ViewError` if it is not for pages. */
  async call(id: number, name: string, args: JsonObject, signal?: AbortSignal): Promise<ToolResult> {
    const { call, link } = this.#open(id)
    const tool = this.#side.toolsOf(call.server).find((known) => known.name === name)
    if (!tool)
      throw new ViewError(
        refusals.invalidParams,
        `${call.server} has no tool ${JSON.stringify(name.slice(0, 200))}`,
      )
    if (!uiOf(tool).isForPages) throw new ViewError(refusals.refused, `${name} is not for pages`)
    const step: PageCallStep = {
      ...{ kind: 'page-call', id: this.#side.nextId(), of: id, server: call.server, tool: name },
      ...{ arguments: args, state: 'running' },
    }
    this.#side.add(step)
    try {
      const result = await link.call(name, args, signal ? { signal } : {})
      Object.assign(step, {
        state: 'done',
        text: textOf(result.content).slice(0, 2000),
        isError: result.isError === true,
      })
      return result
    } catch (error) {
      Object.assign(step, { state: 'failed', text: messageOf(error), isError: true })
      throw error
    } finally {
      this.#side.changed(step)
    }
  }

  /** Reads a resource of the same server for the page. */
  read(id: number, uri: string, signal?: AbortSignal): Promise<ReadResult> {
    return this.#open(id).link.read(uri, signal ? { signal } : {})
  }

  /** The page wants to add a message to the conversation. Resolves once it is sent; rejects with a `ViewError` if the person refuses. */
  async say(id: number, content: readonly ContentBlock[]): Promise<void> {
    const { call } = this.#open(id)
    const text = textOf(content).slice(0, mostCharacters)
    const step: PageMessageStep = {
      ...{ kind: 'page-message', id: this.#side.nextId(), of: id, server: call.server, tool: call.tool, text },
      state: 'open',
    }
    this.#side.add(step)
    const decided = this.#side.decide(step)
    const isSent = decided ?? (await new Promise<boolean>((resolve) => this.#deciding.set(step.id, resolve)))
    this.#deciding.delete(step.id)
    if (!isSent) {
      this.#end(step, 'refused')
      throw new ViewError(refusals.refused, 'the person did not send the message')
    }
    try {
      const mark = `This message was written by the page of the tool ${call.tool} of ${call.server}; the person sent it.`
      this.#side.say(text, { label: `from the page of ${call.tool}`, text: mark }, call.tool)
      this.#end(step, 'sent')
    } catch (error) {
      this.#end(step, 'refused')
      throw new ViewError(refusals.refused, messageOf(error))
    }
  }

  /** Sends an open message of a page, or refuses it. False if it is over. */
  decide(id: number, isSent: boolean): boolean {
    const decide = this.#deciding.get(id)
    decide?.(isSent)
    return decide !== undefined
  }

  /** What the model hears of the page with its next turn; it replaces what the page told before. */
  tell(
    id: number,
    { content, structuredContent }: { content?: readonly ContentBlock[]; structuredContent?: JsonObject },
  ): void {
    const { call } = this.#open(id)
    const said = content ? textOf(content) : ''
    const data = structuredContent === undefined ? '' : JSON.stringify(structuredContent)
    const text = [said, data].filter(Boolean).join('\n').slice(0, mostCharacters)
    this.#contexts.set(id, {
      label: `context from the page of ${call.tool}`,
      text: `[From the page of the tool ${call.tool} of ${call.server}. The person has not written it.]\n${text}`,
    })
    this.#side.add({
      ...{ kind: 'page-context', id: this.#side.nextId(), of: id, server: call.server, tool: call.tool, text },
    })
  }

  /** What pages have told since the last turn; it goes with this one. */
  takeContexts(): readonly Attachment[] {
    const contexts = [...this.#contexts.values()]
    this.#contexts.clear()
    return contexts
  }

  /** Refuses what is open. */
  stop(): void {
    for (const decide of [...this.#deciding.values()]) decide(false)
  }

  #end(step: PageMessageStep, state: 'sent' | 'refused'): void {
    step.state = state
    this.#side.changed(step)
  }

  #open(id: number): { call: CallStep; link: Link } {
    const call = this.#side.stepOf(id)
    if (call?.kind !== 'call') throw hostErrors.noCall(id)
    const link = this.#side.linkOf(call.server)
    if (!link) throw new ViewError(refusals.refused, `${call.server} is down`)
    return { call, link }
  }
}
