import { Refusal } from '../../kit/refusal.js'
import { isObject } from '../../protocol/messages.js'
import { jsonOf } from '../http-api/response.js'
import type { UpstreamResponse } from '../http-api/sender.js'

/**
 * Extracts the data of a GraphQL response, with a note about its errors. Throws a `Refusal` if there is no data.
 * A response without an envelope is returned unchanged.
 */
export function openEnvelope(response: UpstreamResponse): { response: UpstreamResponse; notes: readonly string[] } {
  const json = jsonOf(response)
  if (!isObject(json) || !('data' in json || 'errors' in json)) return { response, notes: [] }
  const errors = (Array.isArray(json.errors) ? json.errors : []).filter(isObject).map(errorText)
  if (json.data === null || json.data === undefined) {
    throw new Refusal(`The API returned errors only:\n${errors.map((text) => `- ${text}`).join('\n')}`)
  }
  const notes =
    errors.length > 0 ? [`The API returned a partial result:\n${errors.map((text) => `- ${text}`).join('\n')}`] : []
  return { response: { ...response, body: Buffer.from(JSON.stringify(json.data)) }, notes }
}

/** `hives.3.weight: the scale is silent`. */
function errorText({ message, path }: Record<string, unknown>): string {
  const place = Array.isArray(path) && path.length > 0 ? `${path.join('.')}: ` : ''
  return `${place}${typeof message === 'string' ? message.slice(0, 500) : 'an error without a message'}`
}
