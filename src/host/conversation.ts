import { messageOf } from '../errors.js'
import type { QuestionAnswer } from '../link/server-requests.js'
import type { JsonObject } from '../protocol/messages.js'
import { uiOf } from '../protocol/ui.js'
import type { HostFunction } from './functions.js'
import type { Host } from './host.js'
import type { HostMessage, HostModel, ModelCall } from './model.js'
import { Pages } from './pages.js'
import { Questions } from './questions.js'
import { RunningCalls } from './running-calls.js'
import type { Attachment, CallStep, Decision, PageMessageStep, Step } from './step.js'

export interface ConversationOptions {
  model: HostModel
  /** Decides about proposed calls in tests and scripts. If it is omitted or returns undefined, the user decides with `decide`. */
  onProposal?: (step: CallStep) => Decision | undefined
  /** Decides about messages of pages. If it is omitted or returns undefined, the user decides with `pages.decide`. */
  onPageMessage?: (step: PageMessageStep) => 'send' | 'refuse' | undefined
  /** Called for every step that is new or has changed. */
  onStep?: (step: Step) => void
  /** Maximum turns of the model per sentence. Default: 8. */
  mostTurns?: number
  /** Maximum characters of a result that the model sees. Default: 40,000. */
  mostCharacters?: number
}

/**
 * The loop of a host: the user writes a message, the model proposes calls, the user approves or refuses them, and results are sent to the model until it proposes no more calls. Requests of servers are steps too.
 *
 * @example
 * const host = new Host()
 * await host.attach('apiary', (options) => connect(kit, options))
 * const conversation = new Conversation(host, { model: standInHostModel(), onProposal: () => 'once' })
 * const steps = await conversation.say('How heavy is ML-04?')
 */
export class Conversation {
  readonly #host: Host
  readonly #options: ConversationOptions
  readonly #steps: Step[] = []
  readonly #messages: HostMessage[] = []
  /**
   * Tools that the user approved for the whole conversation, by fingerprint: an approval ends when the tool or its
   * server changes.
   */
  readonly #trusted = new Set<string>()
  readonly #deciding = new Map<number, (decided: { decision: Decision; arguments: JsonObject }) => void>()
  readonly #running: RunningCalls
  readonly #questions: Questions
  /** The views of its calls. */
  readonly pages: Pages
  #turn: AbortController | undefined
  #count = 0
  model: HostModel

  constructor(host: Host, options: ConversationOptions) {
    this.#host = host
    this.#options = options
    this.model = options.model
    this.#running = new RunningCalls({
      linkOf: (server) => host.linkOf(server),
      change: (step, change) => this.#change(step, change),
      mostCharacters: options.mostCharacters ?? 40_000,
    })
    this.#questions = new Questions({
      add: (step) => this.#add(step),
      changed: (step) => this.#options.onStep?.(step),
      complete: (request, signal) => this.model.complete(request, signal),
      nextId: () => ++this.#count,
    })
    this.pages = new Pages({
      stepOf: (id) => this.#steps.find((step) => step.id === id),
      linkOf: (server) => host.linkOf(server),
      toolsOf: (server) => host.servers.find(({ id }) => id === server)?.tools ?? [],
      add: (step) => this.#add(step),
      changed: (step) => this.#options.onStep?.(step),
      nextId: () => ++this.#count,
      say: (text, mark, tool) => {
        if (this.#turn) throw new Error('the model is working')
        void this.#say(text, [mark], tool)
      },
      decide: (step) => {
        const decided = this.#options.onPageMessage?.(step)
        return decided && decided === 'send'
      },
    })
    host.handlers = {
      question: (server, question) => this.#questions.ask(server, question),
      modelRequest: (server, request, signal) => this.#questions.askModel(server, request, signal),
      log: (server, { level, data }) => {
        const text = typeof data === 'string' ? data : JSON.stringify(data)
        const call = this.#lastRunningAt(server)
        if (!call) return
        call.logs.push({ level, text })
        this.#options.onStep?.(call)
      },
    }
  }

  get steps(): readonly Step[] {
    return this.#steps
  }
  /** True while the model or a call is running. */
  get isBusy(): boolean {
    return this.#turn !== undefined
  }

  /** Sends a message of the user. Resolves with the new steps when the model proposes no more calls. */
  async say(text: string, attached: readonly Attachment[] = []): Promise<readonly Step[]> {
    return this.#say(text, attached)
  }

  async #say(text: string, attached: readonly Attachment[], page?: string): Promise<readonly Step[]> {
    if (this.#turn) throw new Error('the model is working; wait for it, or stop it')
    const from = this.#steps.length
    const turn = new AbortController()
    this.#turn = turn
    const withPages = [...attached, ...this.pages.takeContexts()]
    this.#add({
      kind: 'person',
      id: ++this.#count,
      text,
      attached: withPages,
      ...(page === undefined ? {} : { page }),
    })
    this.#messages.push({ role: 'person', text, attached: withPages })
    try {
      await this.#takeTurns(turn.signal)
    } catch (error) {
      const said = messageOf(error)
      this.#note(turn.signal.aborted ? 'Stopped.' : said, !turn.signal.aborted)
    } finally {
      this.#turn = undefined
    }
    return this.#steps.slice(from)
  }

  /** Decides a proposed call, with the arguments as the user edited them. False if no such call is waiting. */
  decide(id: number, decision: Decision, args?: JsonObject): boolean {
    const step = this.#steps.find((known): known is CallStep => known.kind === 'call' && known.id === id)
    const decideIt = this.#deciding.get(id)
    if (!step || !decideIt) return false
    decideIt({ decision, arguments: args ?? step.arguments })
    return true
  }

  /** Cancels a running call. */
  cancel(id: number): boolean {
    return this.#running.cancel(id)
  }

  /** Answers a question of a server. */
  answer(id: number, answer: QuestionAnswer): boolean {
    return this.#questions.answer(id, answer)
  }

  /** Lets the model answer a server's request, or refuses it. */
  decideModelRequest(id: number, isAllowed: boolean): boolean {
    return this.#questions.decideModelRequest(id, isAllowed)
  }

  /** Ends the turn: cancels running calls and refuses proposals. */
  stop(): void {
    this.#running.stop()
    for (const [id] of this.#deciding) this.decide(id, 'refuse')
    this.pages.stop()
    this.#turn?.abort(new Error('stopped'))
  }

  async #takeTurns(signal: AbortSignal): Promise<void> {
    const { mostTurns = 8 } = this.#options
    for (let turns = 0; turns < mostTurns; turns++) {
      const functions = this.#host.functions()
      const { text, calls } = await this.model.turn(this.#messages, functions, signal)
      if (signal.aborted) throw signal.reason
      this.#messages.push({ role: 'model', text, calls })
      if (text !== '') this.#add({ kind: 'model', id: ++this.#count, text })
      if (calls.length === 0) return
      // The model receives a result for each call, including calls that finish after the user stopped the turn.
      for (const call of calls) {
        if (signal.aborted) this.#tell(call, 'The person stopped before this call.', true)
        else await this.#carryOut(call, functions)
      }
      if (signal.aborted) throw signal.reason
    }
    this.#note(`The model made ${mostTurns} rounds of calls for one message and was stopped.`, true)
  }

  /** `functions` are the functions that the model saw, so that a name refers to the same tool even if the list has changed since. */
  async #carryOut(call: ModelCall, functions: readonly HostFunction[]): Promise<void> {
    const found = functions.find(({ name }) => name === call.name)
    if (!found) {
      this.#note(`The model called ${call.name}, which does not exist.`, true)
      this.#tell(call, `There is no function ${call.name}.`, true)
      return
    }
    const { resourceUri } = uiOf(found.tool)
    const step: CallStep = {
      kind: 'call',
      id: ++this.#count,
      call: call.id,
      server: found.server,
      function: call.name,
      tool: found.tool.name,
      arguments: call.arguments,
      reason: call.reason,
      state: 'proposed',
      approved: undefined,
      logs: [],
      ...(resourceUri === undefined ? {} : { view: resourceUri }),
    }
    this.#add(step)
    const proposed = this.#host.identityOf(step.server, step.tool)
    const { decision, arguments: given } = await this.#decisionOn(step, proposed)
    step.arguments = given
    if (decision === 'refuse') {
      this.#change(step, { state: 'refused' })
      this.#tell(call, 'The person refused this call.', true)
      return
    }
    step.approved = decision
    const identity = this.#host.identityOf(step.server, step.tool)
    if (decision === 'conversation' && identity !== undefined && identity === proposed) this.#trusted.add(identity)
    await this.#running.run(step, found.tool)
    this.#tell(call, step.text ?? '', step.isError === true || step.state !== 'done')
  }

  async #decisionOn(
    step: CallStep,
    identity: string | undefined,
  ): Promise<{ decision: Decision; arguments: JsonObject }> {
    if (identity !== undefined && this.#trusted.has(identity))
      return { decision: 'conversation', arguments: step.arguments }
    const decision = this.#options.onProposal?.(step)
    if (decision) return { decision, arguments: step.arguments }
    return new Promise((resolve) => {
      this.#deciding.set(step.id, (decided) => {
        this.#deciding.delete(step.id)
        resolve(decided)
      })
    })
  }

  #lastRunningAt(server: string): CallStep | undefined {
    return this.#steps.findLast(
      (step): step is CallStep => step.kind === 'call' && step.server === server && step.state === 'running',
    )
  }

  #tell({ id, name }: ModelCall, text: string, isError: boolean): void {
    this.#messages.push({ role: 'tool', call: id, name, text, isError })
  }

  #note(text: string, isFault: boolean): void {
    this.#add({ kind: 'note', id: ++this.#count, text, isFault })
  }

  #add(step: Step): void {
    this.#steps.push(step)
    this.#options.onStep?.(step)
  }

  #change(step: CallStep, change: Partial<CallStep>): void {
    Object.assign(step, change)
    this.#options.onStep?.(step)
  }
}
