import { messageOf } from '../errors.js'
import type { Link } from '../link/link.js'
import type { StartOptions } from '../link/tasks.js'
import type { Progress } from '../protocol/incoming.js'
import { RpcError } from '../protocol/rpc-error.js'
import type { ToolDefinition, ToolResult } from '../protocol/types.js'
import { textOf } from '../replay/case-file.js'
import type { CallStep } from './step.js'

export interface RunningCallsOptions {
  /** The link to a server; undefined if it is down. */
  linkOf: (server: string) => Link | undefined
  change: (step: CallStep, change: Partial<CallStep>) => void
  /** Maximum characters of a result that the model sees. */
  mostCharacters: number
}

/** Runs the calls that the user approved; their steps show progress, the result, or why there is none. */
export class RunningCalls {
  readonly #options: RunningCallsOptions
  readonly #running = new Map<number, AbortController>()

  constructor(options: RunningCallsOptions) {
    this.#options = options
  }

  /** Resolves when the call has ended, in any way. */
  async run(step: CallStep, { execution }: ToolDefinition): Promise<void> {
    const { linkOf, change, mostCharacters } = this.#options
    const link = linkOf(step.server)
    if (!link)
      return change(step, { state: 'lost', text: `${step.server} is down; nothing was called.`, isError: true })
    const running = new AbortController()
    this.#running.set(step.id, running)
    change(step, { state: 'running' })
    const startedAt = performance.now()
    try {
      const mayBeTask = execution?.taskSupport === 'optional' || execution?.taskSupport === 'required'
      const { signal } = running
      const onProgress = ({ progress: done, total, message }: Progress) =>
        change(step, { progress: { done, total, message } })
      const result = mayBeTask
        ? await this.#runAsTask(link, step, { signal, onProgress })
        : await link.call(step.tool, step.arguments, { signal, onProgress })
      const text = resultText(result, mostCharacters)
      change(step, { state: 'done', result, text, isError: result.isError === true })
    } catch (error) {
      const isCancelled = running.signal.aborted
      const text = isCancelled ? 'The person cancelled this call.' : reasonOf(error)
      change(step, { state: isCancelled ? 'cancelled' : 'lost', text, isError: true })
    } finally {
      this.#running.delete(step.id)
      change(step, { tookMs: Math.round((performance.now() - startedAt) * 10) / 10 })
    }
  }

  /** Cancels the call of a step. False if it is not running. */
  cancel(id: number): boolean {
    const running = this.#running.get(id)
    running?.abort(new Error('the person cancelled it'))
    return running !== undefined
  }

  /** Cancels all running calls. */
  stop(): void {
    for (const [, running] of this.#running) running.abort(new Error('the person stopped it'))
  }

  /** The server keeps the task; cancelling it ends it there. */
  async #runAsTask(link: Link, step: CallStep, options: StartOptions): Promise<ToolResult> {
    const { change } = this.#options
    const { signal, onProgress } = options
    const task = await link.start(step.tool, step.arguments, onProgress ? { onProgress } : {})
    const { id } = task
    const stop = task.onStatus(({ status, statusMessage: message }) => {
      if (id !== undefined) change(step, { task: { id, status, message } })
    })
    const cancel = () => void task.cancel().catch(() => {})
    signal?.addEventListener('abort', cancel, { once: true })
    if (signal?.aborted) cancel()
    try {
      return await task.result()
    } finally {
      stop()
      signal?.removeEventListener('abort', cancel)
      // The result may arrive before the notification of the status.
      const last = id === undefined ? undefined : await task.status().catch(() => undefined)
      if (id !== undefined && last) change(step, { task: { id, status: last.status, message: last.statusMessage } })
    }
  }
}

/** The text of a result for the model: its structured content or its text, shortened if it is too long. */
function resultText(
  result: { content: unknown; structuredContent?: unknown; isError?: boolean },
  most: number,
): string {
  const { structuredContent, content, isError } = result
  const text = structuredContent !== undefined && !isError ? JSON.stringify(structuredContent) : textOf(content)
  return text.length > most ? `${text.slice(0, most)}\n(cut: ${text.length - most} characters more)` : text
}

function reasonOf(error: unknown): string {
  if (error instanceof RpcError) return `the server refused (${error.code}): ${error.message}`
  return messageOf(error)
}
