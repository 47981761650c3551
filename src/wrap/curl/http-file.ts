import { dynamicMark } from './dynamic.js'
import { multipartFields } from './multipart-text.js'
import { type RecordedRequest, type RecordedRequests, variableMark } from './recorded.js'

/** Maximum number of variables that are replaced in a file, and of characters that are inserted. */
const maxReplaced = 20_000
const maxInserted = 2_000_000

/** Requests of an `.http` file: separated by `###`, with `@name = value` definitions and `{{name}}` in the text. */
export function requestsInHttpFile(text: string, file: string): RecordedRequests {
  const definitions = new Map<string, string>()
  for (const [, name = '', value = ''] of text.matchAll(/^@([\w.-]{1,100})[ \t]*=(.*)$/gm))
    definitions.set(name, value.trim())
  // Nested definitions can double with each line, and a long one can occur often; both are limited for the whole file.
  let replaced = 0
  let inserted = 0
  const filled = (line: string, depth = 0): string =>
    line.replace(/\{\{([^{}]{1,200})\}\}/g, (_all, given: string) => {
      const name = given.trim()
      const dynamic = name.startsWith('$') ? dynamicMark(name) : undefined
      if (dynamic !== undefined) return dynamic
      const value = definitions.get(name)
      replaced++
      inserted += value?.length ?? 0
      return value === undefined || depth > 5 || replaced > maxReplaced || inserted > maxInserted
        ? variableMark(name.replace(/[^\w]+/g, '_').replace(/^_+|_+$/g, ''))
        : filled(value, depth + 1)
    })
  const requests: RecordedRequest[] = []
  const unread: { where: string; reason: string }[] = []
  let row = 1
  for (const piece of text.split(/^(?=###)/m)) {
    const start = row
    row += piece.split('\n').length - 1
    const read = requestIn(piece.split(/\r?\n/), filled, (line) => `${file}:${start + line}`)
    if (read && 'request' in read) requests.push(read.request)
    else if (read) unread.push(read)
  }
  return { requests, unread }
}

/** Joins the lines of a form, where a line begins or ends with `&`. */
function joinedForm(text: string): string {
  let joined = ''
  for (const line of text.split('\n').map((one) => one.trim()))
    joined += joined === '' || line.startsWith('&') || joined.endsWith('&') ? line : `\n${line}`
  return joined
}

const withoutVersion = (line: string): string => {
  const at = line.lastIndexOf(' HTTP/')
  return at > 0 && /^[\d.]+$/.test(line.slice(at + 6)) ? line.slice(0, at).trimEnd() : line
}

function requestIn(
  lines: readonly string[],
  filled: (line: string) => string,
  where: (line: number) => string,
): { request: RecordedRequest } | { where: string; reason: string } | undefined {
  const comments: string[] = []
  let name: string | undefined
  let at = 0
  for (; at < lines.length; at++) {
    const line = (lines[at] ?? '').trim()
    const [, tag] = /^(?:#|\/\/)\s*@name\s*=?\s*(\S+)/.exec(line) ?? []
    if (tag !== undefined) name = tag
    else if (/^(#|\/\/)\s*@\w/.test(line)) {
      // A directive for a client, such as @no-redirect.
    } else if (/^(#|\/\/)/.test(line)) comments.push(line.replace(/^(#+|\/\/)\s*/, ''))
    else if (line !== '' && !line.startsWith('@') && !line.startsWith('<')) break
  }
  const line = lines[at]
  if (line === undefined) return undefined
  const [, method = 'GET', first = ''] = /^(?:([A-Z]+)\s+)?(.*)$/s.exec(withoutVersion(line.trim())) ?? []
  let url = first
  const started = at
  // A query may continue on several lines.
  for (at++; /^\s+[?&]/.test(lines[at] ?? ''); at++) url += (lines[at] ?? '').trim()
  if (!/^(https?:\/\/|\{\{|\/)/i.test(url))
    return { where: where(started), reason: `${JSON.stringify(line.trim())} is not a request` }
  const headers: [string, string][] = []
  for (; at < lines.length && (lines[at] ?? '').trim() !== ''; at++) {
    const [, header, value] = /^([\w-]+)\s*:\s*(.*)$/.exec(lines[at] ?? '') ?? []
    if (header !== undefined && value !== undefined) headers.push([header, filled(value)])
  }
  if (url.startsWith('/'))
    url = `http://${headers.find(([header]) => header.toLowerCase() === 'host')?.[1] ?? 'localhost'}${url}`
  // After such a mark comes a script, or the destination of the response.
  const rest = lines.slice(at + 1)
  const mediaType = headers.find(([header]) => header.toLowerCase() === 'content-type')?.[1]
  const isMultipart = /^multipart\//i.test(mediaType ?? '')
  // In a multipart body, such a mark names the file of a part.
  const end = rest.findIndex((one, place) => place > 0 && (isMultipart ? /^>/ : /^[<>]/).test(one))
  const written = rest
    .slice(0, end < 0 ? undefined : end)
    .join('\n')
    .trim()
  // A form may span several lines.
  const body = /urlencoded/i.test(mediaType ?? '') ? joinedForm(written) : written
  const fields = isMultipart && body !== '' ? multipartFields(filled(body), mediaType ?? '') : undefined
  if (isMultipart && body !== '' && !fields)
    return { where: where(started), reason: 'its multipart body cannot be read' }
  const type = mediaType === undefined ? {} : { mediaType }
  const about = comments.filter((comment) => comment !== '').join(' ')
  return {
    request: {
      where: where(started),
      ...(name === undefined ? {} : { name }),
      ...(about === '' ? {} : { about }),
      method,
      url: filled(url),
      headers: headers.filter(([header]) => header.toLowerCase() !== 'host'),
      ...(body === ''
        ? {}
        : fields
          ? { body: { kind: 'multipart', fields } as const }
          : {
              body: /^<\s/.test(body) ? { kind: 'file', ...type } : { kind: 'text', text: filled(body), ...type },
            }),
    },
  }
}
