import { createHash, createHmac, timingSafeEqual } from 'node:crypto'
import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http'
import { feedErrors } from '../errors.js'
import type { PushingSource } from '../source.js'
import { decoded, type FeedAddress, plainAddress, valuesAt } from './address.js'
import { type MessageOptions, maxMessageBytes } from './limits.js'
import { messagePusher, topicMaker, unnamed } from './topic-of.js'
import { valueInText } from './value-in.js'

const bodyMs = 10_000
const maxMessages = 10_000
const maxConnections = 1000

/**
 * Listens for webhooks at `webhook://host:port/path`. A body is one message, a list of messages, or lines of `application/x-ndjson`. The rest of the path is the
 * topic. Senders authenticate with `Authorization: Bearer <secret>` or `X-Signature-256: sha256=<HMAC of the body>`; without a secret, only this machine
 * can send. Opens at startup, not at first use.
 *
 * @example sharedFeed(webhookSource('webhook://127.0.0.1:8787/readings', { topic: '{hive}' }), { name: 'scales', channels })
 */
export function webhookSource(given: string | FeedAddress, { topic }: MessageOptions = {}): PushingSource {
  const address = typeof given === 'string' ? plainAddress(given) : given
  const topicOf = topicMaker(topic)
  return {
    isListener: true,
    async open(sink, { settings }) {
      const { url, password: secret } = valuesAt(address, settings)
      const { host, port, path } = placeIn(url)
      const push = messagePusher(sink, topicOf)
      if (secret === undefined && !isLoopback(host))
        throw feedErrors.webhookOpen(host, address.passwordSetting || 'a password in the address')
      const server = createServer((request, response) => {
        respond(request, { path, secret, host }, push).then(
          ([status, text]) => reply(response, status, text),
          () => response.destroy(),
        )
      })
      Object.assign(server, { requestTimeout: bodyMs, headersTimeout: bodyMs, maxConnections })
      await listening(server, host, port, url)
      return {
        close: () =>
          new Promise<void>((resolve) => {
            server.close(() => resolve())
            server.closeAllConnections()
          }),
      }
    },
  }
}

type Place = { host: string; port: number; path: string }

/** `webhook://127.0.0.1:8787/readings`. Throws a `JexoError`. */
function placeIn(url: string): Place {
  const [, host = '', port = '', path = ''] =
    /^webhook:\/\/(\[[^\]]+\]|[^:/?#]+):(\d{1,5})(\/[^?#]*)?$/.exec(url) ?? []
  if (host === '' || Number(port) > 65_535) throw feedErrors.feedAddress(url)
  return { host: host.replace(/^\[|\]$/g, ''), port: Number(port), path: path.replace(/\/$/, '') }
}

const isLoopback = (host: string) => /^(127\.\d+\.\d+\.\d+|::1|localhost)$/.test(host)

function listening(server: Server, host: string, port: number, url: string): Promise<void> {
  return new Promise((resolve, reject) => {
    server.once('error', (error: NodeJS.ErrnoException) =>
      reject(feedErrors.feedUnreachable(url, error.code === 'EADDRINUSE' ? 'the port is in use' : error.message)),
    )
    server.listen(port, host, () => resolve())
  })
}

type Reply = readonly [status: number, text: string]

async function respond(
  request: IncomingMessage,
  { path, secret, host }: Omit<Place, 'port'> & { secret: string | undefined },
  push: (message: unknown, own: string) => void,
): Promise<Reply> {
  const { method, headers, url = '/' } = request
  const [asked = ''] = url.split('?')
  if (asked !== path && !asked.startsWith(`${path}/`)) return [404, 'not found']
  if (method !== 'POST' && method !== 'PUT') return [405, 'POST a JSON body']
  // A page in a browser could post to this machine; a CORS preflight prevents that.
  if (secret === undefined && isLoopback(host) && headers.origin !== undefined) return [403, 'not from web pages']
  const type = headers['content-type'] ?? ''
  const isLines = /^application\/(x-ndjson|jsonl|jsonlines)\b/.test(type)
  if (!isLines && !/^application\/([\w.+-]+\+)?json\b/.test(type))
    return [415, 'send application/json or application/x-ndjson']
  const body = await bodyOf(request)
  if (body === undefined) return [413, `the body is limited to ${maxMessageBytes} bytes`]
  if (secret !== undefined && !isProven(request, body, secret)) return [401, 'authorization is missing or wrong']
  const messages = messagesIn(body.toString(), isLines)
  if (messages === undefined) return [400, 'the body is not valid JSON']
  if (messages.length > maxMessages) return [413, `at most ${maxMessages} messages at a time`]
  const below = asked.slice(path.length + 1)
  const own = below === '' ? unnamed : decoded(below)
  for (const message of messages) push(message, own)
  return [204, '']
}

function reply(response: ServerResponse, status: number, text: string): void {
  response.writeHead(status, {
    'content-type': 'text/plain; charset=utf-8',
    ...(status === 405 ? { allow: 'POST, PUT' } : {}),
    // The rest of a body is not read.
    ...(status === 413 ? { connection: 'close' } : {}),
  })
  response.end(text === '' ? undefined : `${text}\n`)
}

async function bodyOf(request: IncomingMessage): Promise<Buffer | undefined> {
  const chunks: Buffer[] = []
  let length = 0
  for await (const chunk of request as AsyncIterable<Buffer>) {
    length += chunk.length
    if (length > maxMessageBytes) return undefined
    chunks.push(chunk)
  }
  return Buffer.concat(chunks)
}

function isProven({ headers }: IncomingMessage, body: Buffer, secret: string): boolean {
  const signature = headers['x-signature-256']
  if (typeof signature === 'string')
    return isSame(signature, `sha256=${createHmac('sha256', secret).update(body).digest('hex')}`)
  return isSame(headers.authorization ?? '', `Bearer ${secret}`)
}

/** Compares in constant time. */
function isSame(given: string, wanted: string): boolean {
  const [a, b] = [given, wanted].map((text) => createHash('sha256').update(text).digest())
  return a !== undefined && b !== undefined && timingSafeEqual(a, b)
}

function messagesIn(text: string, isLines: boolean): unknown[] | undefined {
  if (isLines)
    return text
      .split('\n')
      .filter((line) => line.trim() !== '')
      .map(valueInText)
  try {
    const value: unknown = JSON.parse(text)
    return Array.isArray(value) ? value : [value]
  } catch {
    return undefined
  }
}
