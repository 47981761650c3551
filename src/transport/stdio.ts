import type { Readable, Writable } from 'node:stream'
import { Engine } from '../engine/engine.js'
import type { RunningKit } from '../engine/running-kit.js'
import type { Identity } from '../kit/call.js'
import { encode } from '../protocol/encoding.js'
import type { Message } from '../protocol/messages.js'
import { codes } from '../protocol/rpc-error.js'
import { Intake } from './intake.js'
import { LineSplitter } from './line-splitter.js'
import { installStdoutGuard } from './stdout-guard.js'

export interface StdioOptions {
  /** Maximum length of a line. Default: 64 MB. */
  maxBytes?: number
  /** How long running requests may continue after stdin has closed. Default: 2,000. */
  graceMs?: number
  /** The identity of the caller, for trying out; stdio has no authentication. */
  identity?: Identity | undefined
  /** Called when a host has connected, with its name and revision. */
  onHost?: (engine: Engine) => void
}

export interface StdioStreams {
  readonly input: Readable
  readonly output: Writable
  /** Writes to the output; returns false if its reader is slow. */
  readonly write: (text: string) => boolean
}

/** This process's stdin and stdout; from then on, only messages can be written to stdout. */
function processStreams(): StdioStreams {
  const guard = installStdoutGuard()
  return { input: process.stdin, output: process.stdout, write: (text) => guard.write(text) }
}

/** Serves a running kit on stdin and stdout until the input closes or a signal arrives (Transports, "stdio"). */
export async function runStdio(
  running: RunningKit,
  options: StdioOptions = {},
  streams: StdioStreams = processStreams(),
): Promise<void> {
  const { maxBytes = 64 * 1024 * 1024, graceMs = 2000 } = options
  const { input } = streams
  await running.loading
  running.start()
  const output = new Output(streams, () => engine.inFlight > 0)
  const write = (messages: Message | Message[]) => output.add(encode(messages))
  const intake = new Intake(() => engine, write)
  let onIdle: (() => void) | undefined
  const engine: Engine = new Engine(
    running,
    {
      send: (message, related) => intake.send(message, related),
      settled: (id) => {
        intake.settled(id)
        if (engine.inFlight === 0) onIdle?.()
      },
      opened: (opened) => options.onHost?.(opened),
    },
    { network: 'pipe', ...(options.identity ? { identity: options.identity } : {}) },
  )
  const lines = new LineSplitter(
    maxBytes,
    (line) => intake.takeText(line),
    () => intake.refuse(codes.invalidRequest, `Invalid request: the message is longer than ${maxBytes} bytes`),
    (bytes, from, to) =>
      (Buffer.isBuffer(bytes) ? bytes : Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength)).toString(
        'utf8',
        from,
        to,
      ),
  )
  input.on('data', (chunk: Buffer) => output.gather(() => lines.push(chunk)))
  await untilEnd(streams)
  lines.end()
  if (engine.inFlight > 0) await settledOr(graceMs, (done) => (onIdle = done))
  await running.close()
  output.flush()
  await new Promise<void>((resolve) =>
    streams.output.writableLength === 0 ? resolve() : streams.output.once('drain', resolve),
  )
}

/** Number of characters after which collected lines are written; many large results do not fit into one string. */
const mostGathered = 1_000_000

/** Collects the output of one turn of the event loop into one write: a burst of responses costs one system call. */
class Output {
  readonly #streams: StdioStreams
  readonly #isMoreComing: () => boolean
  #lines: string[] = []
  #characters = 0
  #isGathering = false

  constructor(streams: StdioStreams, isMoreComing: () => boolean) {
    this.#streams = streams
    this.#isMoreComing = isMoreComing
  }

  /** Writes all lines that are added during `read` at once. */
  gather(read: () => void): void {
    this.#isGathering = true
    try {
      read()
    } finally {
      this.#isGathering = false
      this.flush()
    }
  }

  add(line: string): void {
    const count = this.#lines.push(line)
    this.#characters += line.length
    if (this.#characters > mostGathered) return this.flush()
    if (this.#isGathering) return
    if (!this.#isMoreComing()) this.flush()
    else if (count === 1) setImmediate(() => this.flush())
  }

  flush(): void {
    if (this.#lines.length === 0) return
    const text = `${this.#lines.join('\n')}\n`
    this.#lines = []
    this.#characters = 0
    if (!this.#streams.write(text)) holdUntilDrained(this.#streams)
  }
}

/** While the reader is slow, no input is read, so that its backlog does not fill the memory. */
function holdUntilDrained({ input, output }: StdioStreams): void {
  input.pause()
  output.once('drain', () => input.resume())
}

function untilEnd({ input, output }: StdioStreams): Promise<void> {
  return new Promise((resolve) => {
    const end = () => resolve()
    for (const event of ['end', 'close']) input.once(event, end)
    output.once('error', end)
    if (input === process.stdin) for (const signal of ['SIGTERM', 'SIGINT'] as const) process.once(signal, end)
  })
}

function settledOr(graceMs: number, onDone: (done: () => void) => void): Promise<void> {
  return new Promise((resolve) => {
    const timer = setTimeout(resolve, graceMs)
    onDone(() => {
      clearTimeout(timer)
      resolve()
    })
  })
}
