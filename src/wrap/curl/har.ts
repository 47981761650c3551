import { messageOf } from '../../errors.js'
import { uriComponent } from '../../escape/uri.js'
import { isObject, type JsonObject } from '../../protocol/messages.js'
import { moduleErrors } from '../module/errors.js'
import { multipartFields } from './multipart-text.js'
import type { RecordedBody, RecordedRequest, RecordedRequests } from './recorded.js'

/** Headers that browsers add to every request. */
const noise =
  /^(:|sec-|accept-(language|encoding|charset)$|user-agent$|connection$|host$|content-length$|origin$|referer$|cache-control$|pragma$|dnt$|te$|priority$|if-|upgrade-insecure-requests$)/i
const pageParts = /^(text\/html|text\/css|image\/|font\/|audio\/|video\/|(text|application)\/(x-)?javascript)/

/** Requests of a HAR recording: only those for data, not pages, images and scripts. */
export function requestsInHar(text: string, file: string): RecordedRequests {
  const log = logIn(text, file)
  const requests: RecordedRequest[] = []
  const unread: { where: string; reason: string }[] = []
  for (const [at, entry] of log.entries()) {
    const where = `${file}, entry ${at + 1}`
    const request = isObject(entry) && isObject(entry.request) ? entry.request : undefined
    if (!request || typeof request.url !== 'string' || typeof request.method !== 'string') {
      unread.push({ where, reason: 'it contains no request' })
    } else if (isForData(entry as JsonObject, request)) {
      const body = bodyOf(request.postData)
      if (body === 'unreadable') {
        unread.push({ where, reason: 'its multipart body cannot be read' })
        continue
      }
      requests.push({
        where,
        isRecording: true,
        method: request.method.toUpperCase(),
        url: request.url.replace(/#.*$/, ''),
        headers: pairs(request.headers).filter(([name]) => !noise.test(name)),
        ...(body ? { body } : {}),
      })
    }
  }
  return { requests, unread }
}

function logIn(text: string, file: string): readonly unknown[] {
  try {
    const har = JSON.parse(text) as { log?: { entries?: unknown } }
    if (Array.isArray(har.log?.entries)) return har.log.entries
  } catch (error) {
    throw moduleErrors.sourceUnreadable(file, messageOf(error))
  }
  throw moduleErrors.sourceUnreadable(file, 'it has no "log" with "entries", as a HAR recording has')
}

function isForData(entry: JsonObject, { method, url }: JsonObject): boolean {
  if (method === 'OPTIONS' || !/^https?:/.test(String(url))) return false
  const kind = entry._resourceType
  if (typeof kind === 'string') return kind === 'xhr' || kind === 'fetch' || kind === 'other'
  const response = isObject(entry.response) ? entry.response : {}
  const content = isObject(response.content) ? response.content : {}
  return !pageParts.test(String(content.mimeType ?? ''))
}

const pairs = (list: unknown): [string, string][] =>
  (Array.isArray(list) ? list : []).flatMap((pair) =>
    isObject(pair) && typeof pair.name === 'string' ? [[pair.name, String(pair.value ?? '')]] : [],
  )

function bodyOf(data: unknown): RecordedBody | 'unreadable' | undefined {
  if (!isObject(data)) return undefined
  const type = typeof data.mimeType === 'string' && data.mimeType !== '' ? { mediaType: data.mimeType } : {}
  if (typeof data.text === 'string' && data.text !== '' && !/^multipart\//.test(type.mediaType ?? ''))
    return { kind: 'text', text: data.text, ...type }
  const fields = (Array.isArray(data.params) ? data.params : []).filter(isObject)
  if (fields.length === 0) {
    if (typeof data.text !== 'string' || data.text === '') return undefined
    const parts = multipartFields(data.text, type.mediaType ?? '')
    return parts ? { kind: 'multipart', fields: parts } : 'unreadable'
  }
  if (/^multipart\//.test(type.mediaType ?? ''))
    return {
      kind: 'multipart',
      fields: fields.map((field) => ({
        name: String(field.name),
        ...(field.fileName === undefined ? { value: String(field.value ?? '') } : {}),
      })),
    }
  return {
    kind: 'text',
    text: fields
      .map(({ name, value }) => `${uriComponent(String(name))}=${uriComponent(String(value ?? ''))}`)
      .join('&'),
    ...type,
  }
}
