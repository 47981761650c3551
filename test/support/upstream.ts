import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http'
import type { AddressInfo } from 'node:net'

/** A request as received, byte for byte. */
export interface Seen {
  method: string
  /** The request target as received. */
  target: string
  headers: Record<string, string>
  body: string
}
export interface Reply {
  status?: number
  headers?: Record<string, string>
  body?: string | Uint8Array | object
}
type Answer = (seen: Seen, response: ServerResponse) => Reply | Promise<Reply> | undefined | Promise<undefined>

/** An API that keeps its requests, and responds as configured. */
export class Upstream {
  static readonly #all = new Set<Upstream>()
  readonly seen: Seen[] = []
  answer: Answer = () => ({ body: {} })
  readonly #server: Server

  private constructor() {
    this.#server = createServer((request, response) => void this.#take(request, response))
  }

  static async start(answer?: Answer): Promise<Upstream> {
    const upstream = new Upstream()
    if (answer) upstream.answer = answer
    await new Promise<void>((done) => upstream.#server.listen(0, '127.0.0.1', done))
    Upstream.#all.add(upstream)
    return upstream
  }

  static async endAll(): Promise<void> {
    await Promise.all([...Upstream.#all].map((upstream) => upstream.end()))
  }

  get port(): number {
    return (this.#server.address() as AddressInfo).port
  }
  get url(): string {
    return `http://127.0.0.1:${this.port}`
  }
  get last(): Seen {
    return this.seen.at(-1) as Seen
  }

  end(): Promise<void> {
    Upstream.#all.delete(this)
    this.#server.closeAllConnections()
    return new Promise((done) => this.#server.close(() => done()))
  }

  async #take(request: IncomingMessage, response: ServerResponse): Promise<void> {
    const chunks: Buffer[] = []
    for await (const chunk of request) chunks.push(chunk as Buffer)
    const { rawHeaders, method = '', url = '' } = request
    const headers = Object.fromEntries(
      rawHeaders.flatMap((name, at) => (at % 2 === 0 ? [[name.toLowerCase(), rawHeaders[at + 1] ?? '']] : [])),
    )
    const seen = { method, target: url, headers, body: Buffer.concat(chunks).toString('latin1') }
    this.seen.push(seen)
    const reply = await this.answer(seen, response)
    // Without a reply, the test has responded by itself, or never responds.
    if (!reply) return
    const { status = 200, headers: extra = {}, body } = reply
    const isPlain = typeof body === 'string' || body instanceof Uint8Array || body === undefined
    response.writeHead(status, { ...(isPlain ? {} : { 'content-type': 'application/json' }), ...extra })
    response.end(isPlain ? body : JSON.stringify(body))
  }
}
