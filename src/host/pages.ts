import { messageOf } from '../errors.js'
import type { Link } from '../link/link.js'
import { resultOfTask } from '../link/result-of-task.js'
import type { JsonObject } from '../protocol/messages.js'
import type { ContentBlock, ReadResult, ToolDefinition, ToolResult } from '../protocol/types.js'
import { isViewType, uiOf, type ViewMeta, viewMetaOf } from '../protocol/ui.js'
import { textOf } from '../replay/case-file.js'
import { refusals, ViewError } from '../view/wire/peer.js'
import { hostErrors } from './errors.js'
import type { Attachment, CallStep, PageCallStep, PageContextStep, PageMessageStep, Step } from './step.js'

/** The functions of a conversation that its views use. */
export interface PagesSide {
  stepOf(id: number): Step | undefined
  linkOf(server: string): Link | undefined
  toolsOf(server: string): readonly ToolDefinition[]
  add(step: Step): void
  changed(step: Step): void
  nextId(): number
  /** Sends a message of a view as a turn of the conversation. Throws an `Error` while the model is running. */
  say(text: string, mark: Attachment, tool: string): void
  /** Decides about a message without the user; undefined leaves the decision to the user. */
  decide(step: PageMessageStep): boolean | undefined
}

/** The document of a view and its declarations. */
export interface LoadedView {
  uri: string
  html: string
  meta: ViewMeta
}

/** The longest text that a view may send to the model, in characters. */
const mostCharacters = 100_000
/** Maximum number of steps that the calls of one view add. */
const mostSteps = 500

/**
 * The views that calls of a conversation show. Each may call tools for views and read resources of its own server, and
 * address the conversation. Its calls count as actions of the user and are not shown to the model. Messages and context
 * are shown to the model, marked as coming from the view.
 */
export class Pages {
  readonly #side: PagesSide
  readonly #contexts = new Map<number, { step: PageContextStep; attachment: Attachment }>()
  /** Calls whose view has a message that waits for the user. */
  readonly #saying = new Set<number>()
  readonly #counts = new Map<number, number>()
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

  /** Calls a tool of the same server for the view. Rejects with a `ViewError` if views may not call it. */
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
    const isShown = this.#count(id) <= mostSteps
    if (isShown) this.#side.add(step)
    try {
      const isTask = tool.execution?.taskSupport === 'required'
      const result = isTask
        ? await resultOfTask(link, name, args, signal)
        : await link.call(name, args, signal ? { signal } : {})
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
      if (isShown) this.#side.changed(step)
    }
  }

  /** Reads a resource of the same server for the view. */
  read(id: number, uri: string, signal?: AbortSignal): Promise<ReadResult> {
    return this.#open(id).link.read(uri, signal ? { signal } : {})
  }

  /**
   * The view asks to add a message to the conversation. Resolves once it is sent; rejects with a `ViewError` if the
   * user refuses.
   */
  async say(id: number, content: readonly ContentBlock[]): Promise<void> {
    const { call } = this.#open(id)
    if (this.#saying.has(id))
      throw new ViewError(refusals.refused, 'the previous message is still waiting for a decision')
    const text = textOf(content).slice(0, mostCharacters)
    const step: PageMessageStep = {
      ...{ kind: 'page-message', id: this.#side.nextId(), of: id, server: call.server, tool: call.tool, text },
      state: 'open',
    }
    this.#side.add(step)
    const decided = this.#side.decide(step)
    this.#saying.add(id)
    const isSent = decided ?? (await new Promise<boolean>((resolve) => this.#deciding.set(step.id, resolve)))
    this.#deciding.delete(step.id)
    this.#saying.delete(id)
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

  /** Sends an open message of a view, or refuses it. False if no such message is open. */
  decide(id: number, isSent: boolean): boolean {
    const decide = this.#deciding.get(id)
    decide?.(isSent)
    return decide !== undefined
  }

  /** Context of the view for the model's next turn; replaces its previous context. */
  tell(
    id: number,
    { content, structuredContent }: { content?: readonly ContentBlock[]; structuredContent?: JsonObject },
  ): void {
    const { call } = this.#open(id)
    const said = content ? textOf(content) : ''
    const data = structuredContent === undefined ? '' : JSON.stringify(structuredContent)
    const text = [said, data].filter(Boolean).join('\n').slice(0, mostCharacters)
    const label = `context from the page of ${call.tool}`
    const before = this.#contexts.get(id)
    const step: PageContextStep = before?.step ?? {
      ...{ kind: 'page-context', id: this.#side.nextId(), of: id, server: call.server, tool: call.tool, text },
    }
    const mark = `[From the page of the tool ${call.tool} of ${call.server}. The user did not write it.]`
    this.#contexts.set(id, { step, attachment: { label, text: `${mark}\n${text}` } })
    if (before) {
      step.text = text
      this.#side.changed(step)
    } else this.#side.add(step)
  }

  /** Context that views have set since the last turn; it is sent with this turn. */
  takeContexts(): readonly Attachment[] {
    const contexts = [...this.#contexts.values()].map(({ attachment }) => attachment)
    this.#contexts.clear()
    return contexts
  }

  /** Refuses all open messages. */
  stop(): void {
    for (const decide of [...this.#deciding.values()]) decide(false)
  }

  #count(id: number): number {
    const count = (this.#counts.get(id) ?? 0) + 1
    this.#counts.set(id, count)
    return count
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
