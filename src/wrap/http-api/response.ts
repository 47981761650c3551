import { content } from '../../kit/content.js'
import { type Outcome, outcome } from '../../kit/outcome.js'
import type { SchemaIssue, Validate } from '../../kit/validation.js'
import { isObject, type JsonObject } from '../../protocol/messages.js'
import type { ContentBlock } from '../../protocol/types.js'
import type { PlannedOperation } from './operation.js'
import { placeOf } from './place.js'
import type { UpstreamResponse } from './sender.js'

export interface ResponseLimits {
  /** Maximum length of text in a result. */
  readonly maxCharacters: number
}

/**
 * Converts an API's response: JSON to structured content, images and audio to content, other bytes to a resource.
 * Responses that do not match their description are passed on with a note; long responses are shortened with a note.
 */
export function outcomeOf(
  operation: PlannedOperation,
  response: UpstreamResponse,
  limits: ResponseLimits,
  fits?: Validate,
): Outcome {
  const shown = shownOutcome(operation, response, limits, fits)
  if (operation.response.schema === undefined || shown.structured !== undefined) return shown
  // A tool with a published schema must return structured content.
  const last = shown.blocks.findLast((block) => block.type === 'text')
  const blocks = shown.blocks.filter((block) => block !== last)
  return outcome({ ...shown, blocks, structured: { received: last?.text ?? response.status } })
}

function shownOutcome(
  operation: PlannedOperation,
  response: UpstreamResponse,
  limits: ResponseLimits,
  fits?: Validate,
): Outcome {
  const { status, body, headers, isCut } = response
  const mediaType = (headers.get('content-type') ?? '').split(';')[0]?.trim().toLowerCase() ?? ''
  if (operation.method === 'HEAD')
    return outcome({ blocks: [content.text(JSON.stringify({ status, headers: Object.fromEntries(headers) }))] })
  if (body.length === 0) return outcome({ blocks: [content.text(emptyText(operation, status))] })
  const claimsJson = isJson(mediaType) || (operation.response.form !== 'any' && !isBinary(mediaType))
  const text = textIn(body, headers.get('content-type') ?? '', mediaType)
  const json = claimsJson && text !== undefined ? parsed(text) : undefined
  if (json) return jsonOutcome(operation, json.value, isCut, limits, fits)
  const blocks = otherBlocks(response, mediaType, text, limits)
  if (!claimsJson || !isJson(mediaType)) return outcome({ blocks })
  const why = isCut
    ? `is longer than the limit of ${body.length.toLocaleString('en')} bytes`
    : 'cannot be read as JSON'
  const note = `The API declares ${mediaType}, but the response ${why}; it is returned unchanged.`
  return outcome({
    blocks: [content.text(note), ...blocks],
    operatorNote: `${placeOf(operation)}: the response ${why}`,
  })
}

const emptyText = (operation: PlannedOperation, status: number) =>
  `Done: ${placeOf(operation)} returned ${status}${status === 204 ? ' (no content)' : ' with an empty body'}.`

function jsonOutcome(
  operation: PlannedOperation,
  value: unknown,
  isCut: boolean,
  { maxCharacters }: ResponseLimits,
  fits: Validate | undefined,
): Outcome {
  const { response } = operation
  const whole = response.form === 'value' ? { value } : value
  const { kept, note } = within(whole, maxCharacters)
  const issues = fits ? fits(whole) : []
  const notes = [...(note ? [note] : []), ...(isCut ? ['The response was longer than the limit.'] : [])]
  const blocks: ContentBlock[] = notes.map((text) => content.text(text))
  const report =
    issues.length > 0
      ? {
          operatorNote: `${placeOf(operation)} returned a response that differs from its own description: ${saying(issues)}`,
        }
      : {}
  if (issues.length > 0)
    blocks.push(content.text(`Note: the response differs from the API's own description (${saying(issues)}).`))
  if (response.form !== 'any')
    return outcome({ structured: isObject(kept) ? kept : { value: kept }, blocks, ...report })
  const text = typeof kept === 'string' ? kept : JSON.stringify(kept)
  return outcome({ blocks: [content.text(text), ...blocks], ...report })
}

const saying = (issues: readonly SchemaIssue[]) =>
  issues
    .slice(0, 3)
    .map(({ path, reason }) => `${path.join('.') || 'the response'}: ${reason}`)
    .join('; ') + (issues.length > 3 ? `; and ${issues.length - 3} more` : '')

/** Shortens a value to a number of characters as JSON: first its longest list, then its texts. */
function within(value: unknown, maxCharacters: number): { kept: unknown; note?: string } {
  if (JSON.stringify(value).length <= maxCharacters) return { kept: value }
  const list = longestList(value)
  if (list) {
    const sizes = list.items.map((item) => JSON.stringify(item ?? null).length + 1)
    const rest = JSON.stringify(value).length - sizes.reduce((sum, size) => sum + size, 0)
    const count = fitting(sizes, maxCharacters - rest)
    if (count > 0) {
      const kept = list.replacedBy(list.items.slice(0, count))
      return {
        kept,
        note: `Only the first ${count} of ${list.items.length} items are returned; request fewer, or fewer fields.`,
      }
    }
  }
  const text = JSON.stringify(value)
  return {
    kept: isObject(value) ? { cut: `${text.slice(0, maxCharacters)}…` } : `${text.slice(0, maxCharacters)}…`,
    note: `Only the first ${maxCharacters.toLocaleString('en')} of ${text.length.toLocaleString('en')} characters are returned; request less.`,
  }
}

/** How many of these, from the first, fit within a size. */
function fitting(sizes: readonly number[], most: number): number {
  let sum = 0
  const count = sizes.findIndex((size) => {
    sum += size
    return sum > most
  })
  return count < 0 ? sizes.length : count
}

/** The largest list in a value, at the top or one level deep. */
function longestList(
  value: unknown,
): { items: readonly unknown[]; replacedBy(items: readonly unknown[]): unknown } | undefined {
  if (Array.isArray(value)) return { items: value, replacedBy: (items) => items }
  if (!isObject(value)) return undefined
  const lists = Object.entries(value).filter((entry): entry is [string, unknown[]] => Array.isArray(entry[1]))
  const size = ([, items]: [string, unknown[]]) => JSON.stringify(items).length
  const [largest] = lists.sort((a, b) => size(b) - size(a))
  return largest && { items: largest[1], replacedBy: (items) => ({ ...value, [largest[0]]: items }) }
}

function otherBlocks(
  response: UpstreamResponse,
  mediaType: string,
  text: string | undefined,
  { maxCharacters }: ResponseLimits,
): ContentBlock[] {
  const { body, isCut } = response
  const kind = mediaKind(mediaType, body)
  if (text !== undefined && kind === undefined) {
    const isLong = text.length > maxCharacters
    return [
      content.text(isLong ? text.slice(0, maxCharacters) : text),
      ...(isLong || isCut
        ? [
            content.text(
              `Only the first ${Math.min(text.length, maxCharacters).toLocaleString('en')} characters are returned.`,
            ),
          ]
        : []),
    ]
  }
  const size = body.length.toLocaleString('en')
  if (isCut)
    return [
      content.text(`The response is ${mediaType || 'binary'} of more than ${size} bytes, which is over the limit.`),
    ]
  if (kind?.startsWith('image/')) return [content.image(body, kind)]
  if (kind?.startsWith('audio/')) return [content.audio(body, kind)]
  const uri = response.url.split('?')[0] ?? response.url
  return [content.embed({ uri, mimeType: mediaType || 'application/octet-stream', bytes: body })]
}

const signatures: readonly (readonly [mediaType: string, starts: RegExp])[] = [
  ['image/png', /^\x89PNG/],
  ['image/jpeg', /^\xff\xd8\xff/],
  ['image/gif', /^GIF8/],
  ['image/webp', /^RIFF[\s\S]{4}WEBP/],
  ['audio/wav', /^RIFF[\s\S]{4}WAVE/],
  ['audio/mpeg', /^(ID3|\xff[\xe2-\xfb])/],
  ['audio/ogg', /^OggS/],
  ['audio/flac', /^fLaC/],
]

/** Image or audio, as identified by its bytes; otherwise by the API's content type, unless the bytes are text. */
function mediaKind(claimed: string, body: Uint8Array): string | undefined {
  const start = Buffer.from(body.subarray(0, 16)).toString('latin1')
  const [known] = signatures.find(([, starts]) => starts.test(start)) ?? []
  if (known !== undefined && !(/^(image|audio)\//.test(claimed) && claimed.split('/')[0] === known.split('/')[0]))
    return known
  if (!/^(image|audio)\//.test(claimed)) return undefined
  return claimed !== 'image/svg+xml' && known === undefined && looksLikeText(body) ? undefined : claimed
}

const isJson = (mediaType: string) =>
  /^(application|text)\/([\w.+-]+\+)?json$/.test(mediaType) || mediaType.endsWith('+json')
const isBinary = (mediaType: string) =>
  /^(image|audio|video|font)\/|^application\/(octet-stream|pdf|zip|gzip)/.test(mediaType)
const textual =
  /^text\/|[/+](json|xml|yaml|javascript|ecmascript|graphql|sql|csv|toml)$|^application\/(x-ndjson|x-yaml|x-www-form-urlencoded|rtf)$/

/** The body as text in its charset; undefined if it is not text. */
function textIn(body: Uint8Array, contentType: string, mediaType: string): string | undefined {
  if (!textual.test(mediaType) && !looksLikeText(body)) return undefined
  const [, charset = 'utf-8'] = /charset="?([\w.:-]+)/i.exec(contentType) ?? []
  try {
    return new TextDecoder(charset).decode(body)
  } catch {
    return new TextDecoder().decode(body)
  }
}

/** True for valid UTF-8 without control characters at the start. */
function looksLikeText(body: Uint8Array): boolean {
  const start = body.subarray(0, 4096)
  if (start.some((byte) => byte < 9 || (byte > 13 && byte < 32 && byte !== 27))) return false
  try {
    new TextDecoder('utf-8', { fatal: true }).decode(start, { stream: true })
    return true
  } catch {
    return false
  }
}

function parsed(text: string): { value: unknown } | undefined {
  try {
    return { value: JSON.parse(text.replace(/^\ufeff/, '')) }
  } catch {
    return undefined
  }
}

/** The JSON of a response, for code that reads it before it is shown. */
export const jsonOf = ({ body }: UpstreamResponse): JsonObject | unknown[] | undefined => {
  const found = parsed(Buffer.from(body).toString())?.value
  return Array.isArray(found) || isObject(found) ? found : undefined
}
