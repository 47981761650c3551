import type { InProcess } from './sender.js'

/** An application that accepts requests by a function call, as Fastify does. */
export interface Injectable {
  inject(request: {
    method: never
    url: string
    headers: Record<string, string>
    payload?: Buffer
  }): PromiseLike<{ statusCode: number; headers: Record<string, unknown>; rawPayload: Uint8Array }>
}

/**
 * Makes an application with `inject` usable as the `upstream` of a wrap.
 *
 * @example wrapOpenApi(app.swagger(), { upstream: fromInject(app) })
 */
export const fromInject =
  (app: Injectable): InProcess =>
  async (request) => {
    const { pathname, search } = new URL(request.url)
    const payload = Buffer.from(await request.arrayBuffer())
    const { statusCode, headers, rawPayload } = await app.inject({
      method: request.method as never,
      url: pathname + search,
      headers: Object.fromEntries(request.headers),
      ...(payload.length > 0 ? { payload } : {}),
    })
    const given = Object.entries(headers).flatMap(([name, value]) =>
      [value].flat().flatMap((one): [string, string][] => (one === undefined ? [] : [[name, String(one)]])),
    )
    const isEmpty = statusCode === 204 || statusCode === 205 || statusCode === 304
    return new Response(isEmpty ? null : (rawPayload as BodyInit), { status: statusCode, headers: given })
  }
