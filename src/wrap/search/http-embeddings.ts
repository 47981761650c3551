import { isObject } from '../../protocol/messages.js'
import { searchErrors } from './errors.js'
import type { Embed } from './vectors.js'

export interface HttpEmbeddingsOptions {
  /** Name of the model at the endpoint. */
  readonly model?: string
  /** Sent as `Authorization: Bearer …`; take it from the environment. */
  readonly key?: string | undefined
  readonly headers?: Readonly<Record<string, string>>
  /** Time limit of one request. Default: 30,000. */
  readonly timeoutMs?: number
}

/**
 * Requests vectors from an HTTP endpoint in the common form: `POST {"model", "input": [texts]}`, answered by `{"data":
 * [{"index", "embedding": [numbers]}]}`. Rejects with a `JexoError` for any other response.
 *
 * @example embed: httpEmbeddings('http://127.0.0.1:8080/v1/embeddings', { model: 'small' })
 */
export function httpEmbeddings(url: URL | string, options: HttpEmbeddingsOptions = {}): Embed {
  const { model, key, headers = {}, timeoutMs = 30_000 } = options
  const place = String(url)
  return async (texts, signal) => {
    const { request } = await import('undici')
    const { statusCode, body } = await request(place, {
      method: 'POST',
      headers: {
        'content-type': 'application/json',
        ...(key === undefined ? {} : { authorization: `Bearer ${key}` }),
        ...headers,
      },
      body: JSON.stringify({ ...(model === undefined ? {} : { model }), input: texts }),
      signal: AbortSignal.any([signal, AbortSignal.timeout(timeoutMs)]),
    })
    const text = await body.text()
    if (statusCode !== 200)
      throw searchErrors.embeddingsFailed(place, `status ${statusCode}: ${text.slice(0, 200)}`)
    return vectorsIn(text, texts.length, place)
  }
}

function vectorsIn(text: string, count: number, place: string): number[][] {
  const response = parsed(text)
  const data = isObject(response) && Array.isArray(response.data) ? response.data : []
  const vectors: number[][] = []
  for (const [at, item] of data.entries()) {
    if (!isObject(item) || !Array.isArray(item.embedding)) continue
    vectors[typeof item.index === 'number' ? item.index : at] = item.embedding.map(Number)
  }
  const isWhole = vectors.length === count && Array.from(vectors).every((vector) => vector?.every(Number.isFinite))
  if (!isWhole) throw searchErrors.embeddingsFailed(place, 'it did not return one vector per text')
  return vectors
}

function parsed(text: string): unknown {
  try {
    return JSON.parse(text)
  } catch {
    return undefined
  }
}
