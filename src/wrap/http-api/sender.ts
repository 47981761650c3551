import { pipeline, type Readable, type Transform } from 'node:stream'
import { createBrotliDecompress, createGunzip, createInflate } from 'node:zlib'
import type { Agent, Dispatcher } from 'undici'
import { checkHost, publicLookup } from './address.js'
import { httpApiErrors } from './errors.js'
import type { UpstreamRequest } from './request.js'

/** A response: the whole body, or its beginning up to the limit. */
export interface UpstreamResponse {
  readonly status: number
  readonly headers: ReadonlyMap<string, string>
  readonly body: Uint8Array
  /** True if the body was longer; the rest was not read. */
  readonly isCut: boolean
  /** URL after redirects. */
  readonly url: string
}
/** Sends one request and reads at most `maxBytes` of the response. */
export type Send = (request: UpstreamRequest, signal: AbortSignal) => Promise<UpstreamResponse>

export interface NetworkOptions {
  readonly maxBytes: number
  /** Allows requests to this machine and its network, since the base URL is there. */
  readonly allowPrivateNetwork: boolean
}

/** Sends requests over the network. Connections stay open between calls; `close` ends them. */
export function networkSender({ maxBytes, allowPrivateNetwork }: NetworkOptions): {
  send: Send
  close(): Promise<void>
} {
  let opening: Promise<Agent> | undefined
  // Loaded with the first request, since loading it takes up to 0.1 s.
  const openAgent = async () => {
    const undici = await import('undici')
    return new undici.Agent({
      connect: { timeout: 10_000, ...(allowPrivateNetwork ? {} : { lookup: publicLookup as never }) },
      keepAliveTimeout: 4_000,
    })
  }
  const send: Send = async ({ method, url, headers, body }, signal) => {
    const at = new URL(url)
    checkHost(at, allowPrivateNetwork)
    opening ??= openAgent()
    const agent = await opening
    const response = await agent.request({
      origin: at.origin,
      // The original text, since a URL object may normalize it to another path.
      path: url.replace(/^[a-z]+:\/\/[^/?#]*/i, '').replace(/^(?!\/)/, '/'),
      method: method as Dispatcher.HttpMethod,
      headers: headers.flat(),
      body: body ?? null,
      signal,
    })
    const known = new Map(
      Object.entries(response.headers).map(([name, value]) => [name.toLowerCase(), [value].flat().join(', ')]),
    )
    const { bytes, isCut } = await taken(decoded(response.body, known.get('content-encoding')), maxBytes)
    return { status: response.statusCode, headers: known, body: bytes, isCut, url }
  }
  return {
    send,
    async close() {
      const agent = await opening
      await agent?.destroy()
    },
  }
}

/** An API in this process. */
export type InProcess = (request: Request) => Promise<Response> | Response

/** Sends requests to an API in this process, without a network. */
export function inProcessSender(upstream: InProcess, maxBytes: number): Send {
  return async ({ method, url, headers, body }, signal) => {
    if (body !== undefined && /^(GET|HEAD)$/.test(method)) throw httpApiErrors.upstreamBody(method)
    const response = await upstream(
      new Request(url, {
        method,
        headers: headers.map(([name, value]): [string, string] => [name, value]),
        body: (body ?? null) as BodyInit | null,
        signal,
      }),
    )
    const stream = (response.body ?? []) as AsyncIterable<Uint8Array>
    const { bytes, isCut } = await taken(stream, maxBytes)
    return { status: response.status, headers: new Map(response.headers), body: bytes, isCut, url }
  }
}

async function taken(
  stream: AsyncIterable<Uint8Array>,
  maxBytes: number,
): Promise<{ bytes: Uint8Array; isCut: boolean }> {
  const chunks: Uint8Array[] = []
  let size = 0
  for await (const chunk of stream) {
    chunks.push(chunk)
    size += chunk.length
    // Leaving the loop closes the stream and its connection.
    if (size > maxBytes) return { bytes: Buffer.concat(chunks).subarray(0, maxBytes), isCut: true }
  }
  return { bytes: Buffer.concat(chunks), isCut: false }
}

/** Decompresses responses of servers that compress them without being asked. */
function decoded(body: Readable, encoding: string | undefined): Readable {
  const decoders: Record<string, () => Transform> = {
    gzip: createGunzip,
    'x-gzip': createGunzip,
    deflate: createInflate,
    br: createBrotliDecompress,
  }
  const make = decoders[encoding?.trim().toLowerCase() ?? '']
  if (!make) return body
  const decoder = make()
  pipeline(body, decoder, () => {})
  return decoder
}
