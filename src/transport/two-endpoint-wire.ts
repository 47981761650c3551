import { createParser } from 'eventsource-parser'
import { authorized } from '../access/sign-in/authorized.js'
import { messageOf } from '../errors.js'
import { linkErrors } from '../link/errors.js'
import type { Wire, WireHandlers } from '../link/wire.js'
import { protocolErrors } from '../protocol/errors.js'
import { type Message, messagesIn } from '../protocol/messages.js'
import type { NetworkPath } from '../telemetry/telemetry.js'
import { transportErrors } from './errors.js'
import { fetchSameOrigin, maxResponseBytes, textOf } from './http-responses.js'
import { type HttpWireOptions, networkOf } from './http-wire.js'

/**
 * A wire to a server with the older transport (Transports of 2024-11-05, "HTTP with SSE"): a standing stream for its
 * messages, and an address that it announces for messages to it.
 */
export class TwoEndpointWire implements Wire {
  readonly label: string
  readonly network: NetworkPath
  readonly #url: URL
  readonly #options: HttpWireOptions
  readonly #fetch: typeof globalThis.fetch
  readonly #aborter = new AbortController()
  #postUrl: URL | undefined

  constructor(url: URL, options: HttpWireOptions = {}) {
    this.label = url.href
    this.network = networkOf(url)
    this.#url = url
    this.#options = options
    this.#fetch = options.fetch ?? globalThis.fetch.bind(globalThis)
  }

  async start(handlers: WireHandlers): Promise<void> {
    const response = await this.#request(this.#url, 'GET', { accept: 'text/event-stream' })
    const type = response.headers.get('content-type') ?? ''
    if (!response.ok || !type.startsWith('text/event-stream')) {
      await response.body?.cancel()
      throw linkErrors.connectFailed(this.label, `HTTP ${response.status}, and no event stream`)
    }
    await new Promise<void>((resolve, reject) => {
      this.#read(response, handlers, (address) => {
        const url = URL.canParse(address, this.#url.href) ? new URL(address, this.#url) : undefined
        if (url?.origin !== this.#url.origin)
          return reject(linkErrors.connectFailed(this.label, `it names an address of another origin, ${address}`))
        this.#postUrl = url
        resolve()
      }).then(
        () => {
          reject(linkErrors.connectFailed(this.label, 'the stream ended before it named an address'))
          handlers.closed('the server ended its stream')
        },
        (error) => {
          reject(error)
          handlers.closed(messageOf(error))
        },
      )
    })
  }

  async send(message: Message): Promise<void> {
    if (!this.#postUrl) throw protocolErrors.closed('it is not open')
    const body = JSON.stringify(message)
    const response = await this.#request(this.#postUrl, 'POST', { 'content-type': 'application/json' }, body)
    const said = response.ok ? '' : (await textOf(response, 1_000_000)).slice(0, 200)
    if (!response.ok) throw linkErrors.connectFailed(this.label, `HTTP ${response.status}: ${said}`)
    await response.body?.cancel()
  }

  close(): void {
    this.#aborter.abort()
  }

  #request(url: URL, method: string, own: Record<string, string>, body?: string): Promise<Response> {
    const { signIn, headers } = this.#options
    const { signal } = this.#aborter
    const send = (token: Record<string, string>) =>
      fetchSameOrigin(this.#fetch, url, {
        method,
        headers: { ...headers, ...own, ...token },
        signal,
        ...(body === undefined ? {} : { body }),
      })
    // Signs in for the server by its public URL.
    return signIn ? authorized(signIn, this.#url, send, { signal }) : send({})
  }

  async #read(response: Response, handlers: WireHandlers, onAddress: (address: string) => void): Promise<void> {
    const parser = createParser({
      onEvent: ({ event, data }) => {
        if (event === 'endpoint') return onAddress(data)
        for (const message of messagesIn(data, handlers.unusable) ?? []) handlers.receive(message)
      },
      maxBufferSize: maxResponseBytes,
      onError: (error) => {
        if (error.type === 'max-buffer-size-exceeded') throw transportErrors.responseTooLong(maxResponseBytes)
      },
    })
    const decoder = new TextDecoder()
    for await (const chunk of response.body ?? []) parser.feed(decoder.decode(chunk, { stream: true }))
  }
}
