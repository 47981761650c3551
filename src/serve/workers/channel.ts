import { messageOf } from '../../errors.js'
import { isObject, type JsonObject } from '../../protocol/messages.js'

/** One end of the pipe between a process and its parent. */
export interface Pipe {
  send(message: JsonObject): void
  onMessage(take: (message: unknown) => void): void
  onClosed(act: () => void): void
}

export type Handler = (...args: readonly unknown[]) => unknown

/** Calls in both directions between two processes. Other messages in the pipe are ignored. */
export class Channel {
  readonly #pipe: Pipe
  readonly #handlers = new Map<string, Handler>()
  readonly #pending = new Map<number, { resolve(value: unknown): void; reject(error: Error): void }>()
  #nextId = 1

  constructor(pipe: Pipe) {
    this.#pipe = pipe
    pipe.onMessage((message) => void this.#take(message))
    pipe.onClosed(() => {
      for (const { reject } of this.#pending.values()) reject(new Error('the other process has ended'))
      this.#pending.clear()
    })
  }

  on(name: string, handler: Handler): void {
    this.#handlers.set(name, handler)
  }

  /** Rejects with the error of the other side, or if it ends. */
  call(name: string, ...args: readonly unknown[]): Promise<unknown> {
    const id = this.#nextId++
    return new Promise((resolve, reject) => {
      this.#pending.set(id, { resolve, reject })
      this.#pipe.send({ jexo: 'call', id, name, args })
    })
  }

  /** A call without a response. */
  tell(name: string, ...args: readonly unknown[]): void {
    this.#pipe.send({ jexo: 'call', name, args })
  }

  async #take(message: unknown): Promise<void> {
    if (!isObject(message)) return
    const { jexo, id, name, args } = message
    if (jexo === 'call') {
      const handler = this.#handlers.get(String(name))
      if (typeof id !== 'number') return void handler?.(...(args as unknown[]))
      try {
        this.#pipe.send({ jexo: 'reply', id, value: (await handler?.(...(args as unknown[]))) ?? null })
      } catch (error) {
        this.#pipe.send({ jexo: 'reply', id, error: messageOf(error) })
      }
    } else if (jexo === 'reply' && typeof id === 'number') {
      const pending = this.#pending.get(id)
      this.#pending.delete(id)
      if (message.error === undefined) pending?.resolve(message.value ?? undefined)
      else pending?.reject(new Error(String(message.error)))
    }
  }
}

/** The pipe to the parent process. */
export function pipeToParent(): Pipe {
  return {
    send: (message) => void (process.connected && process.send?.(message)),
    onMessage: (take) => void process.on('message', take),
    onClosed: (act) => void process.on('disconnect', act),
  }
}
