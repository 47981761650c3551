import { RunningKit } from '../engine/running-kit.js'
import type { RunningOptions } from '../engine/running-options.js'
import { interpretingValidator } from '../kit/interpreting-validator.js'
import type { Kit } from '../kit/kit.js'
import { ByteGatherer } from './byte-gatherer.js'
import { type EndpointOptions, HttpEndpoint } from './http/endpoint.js'
import { BodyTooLong, type HttpRequest, type HttpResponse } from './http/exchange.js'

export interface FetchHandlerOptions extends EndpointOptions, Partial<RunningOptions> {}

/** Handles web requests for one kit; `close` ends its sessions and shared connections. */
export interface FetchHandler {
  (request: Request): Promise<Response>
  close(): Promise<void>
}

/**
 * Serves a kit from any runtime with `Request` and `Response`: Node, edge runtimes, a service worker (Transports, "Streamable HTTP").
 * Settings come from `environment`; JSON Schema is checked without code generation, unless you pass a validator.
 *
 * @example export default { fetch: fetchHandler(kit, { allowedHosts: ['apiary.example'] }) }
 */
export function fetchHandler(kit: Kit, options: FetchHandlerOptions = {}): FetchHandler {
  const running = new RunningKit(kit, { environment: {}, validator: interpretingValidator, ...options })
  const endpoint = new HttpEndpoint(running, options)
  const handle = async (request: Request) =>
    toResponse(await endpoint.handle(readRequest(request)), endpoint.limits.maxUnreadBytes)
  return Object.assign(handle, {
    close: async () => {
      await endpoint.drain(0)
      await running.close()
    },
  })
}

function readRequest(request: Request): HttpRequest {
  const url = new URL(request.url)
  return {
    method: request.method,
    path: url.pathname,
    query: url.search,
    // A Request created in code has no Host header; its URL contains the host.
    header: (name) => request.headers.get(name) ?? (name === 'host' ? url.host : undefined),
    body: async (maxBytes) => {
      if (Number(request.headers.get('content-length') ?? 0) > maxBytes) throw new BodyTooLong()
      return readBody(request, maxBytes)
    },
  }
}

async function readBody(request: Request, maxBytes: number): Promise<string> {
  const gathered = new ByteGatherer()
  for await (const chunk of request.body ?? []) {
    if (gathered.length + chunk.length > maxBytes) throw new BodyTooLong()
    gathered.push(chunk)
  }
  return new TextDecoder().decode(gathered.bytes)
}

function toResponse(response: HttpResponse, maxUnreadBytes: number): Response {
  const { status, headers, body, stream } = response
  if (!stream) return new Response(body ?? null, { status, headers })
  let detach = () => {}
  const encoder = new TextEncoder()
  const source: UnderlyingDefaultSource<Uint8Array> = {
    start(controller) {
      detach = stream({
        write: (text) => {
          // A reader that leaves too much unread is disconnected; it can resume.
          if ((controller.desiredSize ?? 0) < 0) {
            detach()
            controller.error(new Error('the client reads too slowly'))
          } else controller.enqueue(encoder.encode(text))
        },
        end: () => {
          try {
            controller.close()
          } catch {
            // The reader has cancelled already, so there is nothing to close.
          }
        },
      })
    },
    cancel: () => detach(),
  }
  const events = new ReadableStream(source, {
    highWaterMark: maxUnreadBytes,
    size: (chunk) => chunk?.byteLength ?? 0,
  })
  return new Response(events, { status, headers })
}
