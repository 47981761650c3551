import { STATUS_CODES } from 'node:http'
import { Refusal } from '../../kit/refusal.js'
import { isObject, type JsonObject } from '../../protocol/messages.js'
import { type Credential, settingNames } from './credentials.js'
import type { PlannedOperation } from './operation.js'
import { retryAfterMs } from './pipeline.js'
import { placeOf } from './place.js'
import type { UpstreamResponse } from './sender.js'

const maxCharacters = 2000

/** Converts an API's error to a text for the model; for the operator, it names the rejected setting. */
export function failureOf(
  operation: PlannedOperation,
  response: UpstreamResponse,
  credentials: readonly Credential[],
): Refusal {
  const { status } = response
  const asked = placeOf(operation)
  if (status === 401 || status === 403) {
    const settings = credentials.flatMap(settingNames)
    const exchanged = credentials.find(({ kind }) => kind === 'exchange')
    const operatorNote = exchanged
      ? `${asked} returned ${status}: the token that was exchanged for the caller was refused`
      : settings.length > 0
        ? `${asked} returned ${status}: the value of ${settings.join(' and ')} was refused`
        : `${asked} returned ${status}, and no credentials are configured for it`
    return new Refusal(
      'The API refused access. The operator of this server was notified; trying again will not help.',
      {
        operatorNote,
      },
    )
  }
  const said = messageIn(response, operation)
  const lines = [
    `The API returned ${status}${STATUS_CODES[status] ? ` ${STATUS_CODES[status]}` : ''}${said === '' ? '.' : `: ${said}`}`,
  ]
  const hint = hintFor(response)
  if (hint) lines.push(hint)
  return new Refusal(lines.join('\n'))
}

function hintFor(response: UpstreamResponse): string | undefined {
  if (response.status === 429 || response.status === 503) {
    const wait = retryAfterMs(response)
    const when = wait === undefined ? 'later' : `in ${Math.ceil(wait / 1000)} seconds`
    return `${response.status === 429 ? 'The rate limit is reached' : 'The API is not available'}; try again ${when}.`
  }
  if (response.status >= 500) return 'This is an error of the API, not of the call.'
  if (response.status >= 300 && response.status < 400) return 'It redirects without a target.'
  return undefined
}

/** The API's own messages, with the arguments that they concern. */
function messageIn({ body, headers }: UpstreamResponse, operation: PlannedOperation): string {
  const text = Buffer.from(body.subarray(0, 200_000)).toString().trim()
  const json = parsed(text)
  if (json !== undefined)
    return shortened([...new Set([...sentences(json), ...complaints(json, operation)])].join('\n'), text)
  return shortened(
    /html/.test(headers.get('content-type') ?? '') || /^<(!doctype|html)/i.test(text) ? titleOf(text) : text,
  )
}

/** The summary of an error: title and detail of RFC 9457, or similar fields. */
function sentences(json: unknown): string[] {
  if (typeof json === 'string') return [json]
  if (!isObject(json)) return []
  const direct = [
    'title',
    'detail',
    'message',
    'error_description',
    'msg',
    'reason',
    'description',
    'error',
    'Message',
  ]
    .map((name) => json[name])
    .filter((value): value is string => typeof value === 'string' && value !== '')
  return direct.length > 0
    ? direct
    : ['error', 'fault', 'data'].flatMap((name) => (isObject(json[name]) ? sentences(json[name]) : []))
}

/** Messages about arguments, with the names of the tool's arguments. */
function complaints(json: unknown, operation: PlannedOperation): string[] {
  if (!isObject(json)) return []
  const lists = [
    'errors',
    'detail',
    'details',
    'issues',
    'invalid-params',
    'invalid_params',
    'violations',
    'validation',
    'fields',
  ].map((name) => json[name] ?? (isObject(json.error) ? json.error[name] : undefined))
  return lists.flatMap((list) => {
    if (Array.isArray(list)) return list.slice(0, 20).flatMap((item) => complaint(item, operation))
    // Names with their errors.
    return isObject(list)
      ? Object.entries(list)
          .slice(0, 20)
          .map(([name, what]) => `- ${argumentFor(name, operation)}: ${[what].flat().map(plain).join(', ')}`)
      : []
  })
}

function complaint(item: unknown, operation: PlannedOperation): string[] {
  if (typeof item === 'string') return [`- ${item}`]
  if (!isObject(item)) return []
  const source = isObject(item.source) ? item.source : {}
  const where =
    item.pointer ??
    item.field ??
    item.param ??
    item.parameter ??
    item.property ??
    item.path ??
    item.loc ??
    item.instancePath ??
    source.pointer ??
    source.parameter ??
    item.name
  const what = item.message ?? item.msg ?? item.detail ?? item.reason ?? item.code ?? item.title
  if (what === undefined) return [`- ${JSON.stringify(item)}`]
  const missing = isObject(item.params) ? item.params.missingProperty : undefined
  const place = [where ?? []]
    .flat()
    .map(String)
    .concat(missing === undefined ? [] : [String(missing)])
    .join('/')
  return [place === '' ? `- ${plain(what)}` : `- ${argumentFor(place, operation)}: ${plain(what)}`]
}

/** The tool's name for an argument that an API calls `#/queen_year`, `body.queen_year` or `["query", "queen_year"]`. */
function argumentFor(place: string, { parameters, body }: PlannedOperation): string {
  const steps = place.split(/[/.#[\]]+/).filter((step) => step !== '')
  for (const step of steps) {
    const parameter = parameters.find(({ name, argument }) => name === step && argument !== undefined)
    const property = body?.properties?.find(({ path, argument }) => path[0] === step && argument !== undefined)
    const found = steps.includes('body') ? (property ?? parameter) : (parameter ?? property)
    if (found?.argument !== undefined) return found.argument
  }
  return steps.join('.') || place
}

const plain = (value: unknown): string => (typeof value === 'string' ? value : JSON.stringify(value))

function parsed(text: string): JsonObject | string | undefined {
  try {
    return JSON.parse(text) as JsonObject
  } catch {
    return undefined
  }
}

function titleOf(html: string): string {
  const [, title] = /<title[^>]*>([^<]*)/i.exec(html) ?? []
  return (title ?? html.replace(/<(script|style)[\s\S]*?<\/\1>/gi, ' ').replace(/<[^>]*>/g, ' '))
    .replace(/\s+/g, ' ')
    .trim()
}

function shortened(text: string, instead = ''): string {
  const said = text.trim() === '' ? instead : text.trim()
  return said.length > maxCharacters ? `${said.slice(0, maxCharacters)}…` : said
}
