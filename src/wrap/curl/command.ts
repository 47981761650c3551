import { uriUnreserved } from '../../escape/uri.js'
import { parse as parseContentType } from './media-type.js'
import { type RecordedBody, type RecordedField, type RecordedRequest, startsWithVariable } from './recorded.js'

/** Options that take a value which is of no concern to the request itself. */
const ignoredWithValue = new Set([
  ...[
    '-o',
    '--output',
    '-m',
    '--max-time',
    '--connect-timeout',
    '--retry',
    '--retry-delay',
    '--retry-max-time',
    '-w',
    '--write-out',
    '-x',
    '--proxy',
  ],
  ...[
    '--cacert',
    '--capath',
    '--cert',
    '-E',
    '--key',
    '--resolve',
    '--limit-rate',
    '-K',
    '--config',
    '-D',
    '--dump-header',
    '-c',
    '--cookie-jar',
  ],
  ...[
    '--interface',
    '--max-redirs',
    '--tls-max',
    '--ciphers',
    '-C',
    '--continue-at',
    '-y',
    '-Y',
    '-z',
    '--stderr',
    '--trace',
    '--trace-ascii',
    '--unix-socket',
  ],
])

interface Data {
  readonly text: string
  readonly isFile: boolean
}

/** The request of a curl command line. Throws with a reason if it has no URL. */
export function requestOfCurl(words: readonly string[], where: string): RecordedRequest {
  const headers: [string, string][] = []
  const data: Data[] = []
  const queryPieces: string[] = []
  const fields: RecordedField[] = []
  let method: string | undefined
  let url: string | undefined
  let basic: string | undefined
  let isGet = false
  let isUpload = false
  let isJson = false
  const options: Readonly<Record<string, (value: string) => void>> = {
    '-X': (value) => (method = value.toUpperCase()),
    '-H': (value) => addHeader(headers, value),
    '-d': (value) => data.push({ text: value, isFile: value.startsWith('@') }),
    '--data-raw': (value) => data.push({ text: value, isFile: false }),
    '--data-urlencode': (value) => data.push(urlEncoded(value)),
    '--json': (value) => {
      isJson = true
      data.push({ text: value, isFile: value.startsWith('@') })
    },
    '--url-query': (value) => queryPieces.push(urlEncoded(value).text),
    '-F': (value) => fields.push(fieldOf(value)),
    '--form-string': (value) =>
      fields.push({ name: value.split('=')[0] ?? '', value: value.slice(value.indexOf('=') + 1) }),
    '-u': (value) => (basic = value),
    '--oauth2-bearer': (value) => headers.push(['authorization', `Bearer ${value}`]),
    '-b': (value) => headers.push(['cookie', value]),
    '-A': (value) => headers.push(['user-agent', value]),
    '-e': (value) => headers.push(['referer', value]),
    '-T': () => (isUpload = true),
    '--url': (value) => (url ??= value),
  }
  const flags: Readonly<Record<string, () => void>> = {
    '-G': () => (isGet = true),
    '-I': () => (method ??= 'HEAD'),
  }
  for (const { name, value } of optionsIn(words, options)) {
    if (name === undefined) url ??= value
    else if (value !== undefined) options[longNames[name] ?? name]?.(value)
    else flags[longNames[name] ?? name]?.()
  }
  if (url === undefined || url === '') throw new Error('it has no URL')
  const text = data.map((piece) => piece.text).join('&')
  const query = [...queryPieces, ...(isGet && data.length > 0 ? [text] : [])].join('&')
  const body = isGet ? undefined : bodyOf({ data, text, fields, isUpload, isJson, headers })
  if (isJson && !has(headers, 'accept')) headers.push(['accept', 'application/json'])
  return {
    where,
    method: method ?? (isUpload ? 'PUT' : body ? 'POST' : 'GET'),
    url: withQuery(/^[a-z]+:\/\//i.test(url) || startsWithVariable(url) ? url : `http://${url}`, query),
    headers,
    ...(body ? { body } : {}),
    ...(basic === undefined ? {} : { basic }),
  }
}

const longNames: Readonly<Record<string, string>> = {
  '--request': '-X',
  '--header': '-H',
  '--data': '-d',
  '--data-ascii': '-d',
  '--data-binary': '-d',
  '--form': '-F',
  '--user': '-u',
  '--cookie': '-b',
  '--user-agent': '-A',
  '--referer': '-e',
  '--upload-file': '-T',
  '--get': '-G',
  '--head': '-I',
}

/** Options with their values, and what stands alone; `-XPOST`, `-sSL` and `--request=POST` are taken apart. */
function* optionsIn(
  words: readonly string[],
  known: object,
): Generator<{ name?: string; value?: string } & ({ name: string } | { value: string })> {
  const takesValue = (name: string) => (longNames[name] ?? name) in known || ignoredWithValue.has(name)
  for (let at = 0; at < words.length; at++) {
    const word = words[at] ?? ''
    if (word.startsWith('--')) {
      const [name = '', ...rest] = word.split('=')
      if (rest.length > 0) yield { name, value: rest.join('=') }
      else if (takesValue(name)) yield { name, value: words[++at] ?? '' }
      else yield { name }
    } else if (word.startsWith('-') && word.length > 1) {
      for (let letter = 1; letter < word.length; letter++) {
        const name = `-${word.charAt(letter)}`
        if (!takesValue(name)) {
          yield { name }
          continue
        }
        const attached = word.slice(letter + 1)
        yield { name, value: attached === '' ? (words[++at] ?? '') : attached }
        break
      }
    } else yield { value: word }
  }
}

function addHeader(headers: [string, string][], text: string): void {
  const at = text.indexOf(':')
  // `Name;` sends an empty header, `Name:` takes one away.
  if (at < 0 && text.endsWith(';')) headers.push([text.slice(0, -1), ''])
  if (at > 0 && text.slice(at + 1).trim() !== '')
    headers.push([text.slice(0, at).trim(), text.slice(at + 1).trim()])
}

function urlEncoded(text: string): Data {
  const at = text.search(/[=@]/)
  if (at >= 0 && text.charAt(at) === '@') return { text, isFile: true }
  const name = at < 0 ? '' : text.slice(0, at)
  const value = uriUnreserved(at < 0 ? text : text.slice(at + 1)).replaceAll('%20', '+')
  return { text: name === '' ? value : `${name}=${value}`, isFile: false }
}

function fieldOf(text: string): RecordedField {
  const at = text.indexOf('=')
  const name = text.slice(0, at)
  const value = text.slice(at + 1)
  const [content = '', ...more] = value.split(';')
  const type = more.find((piece) => piece.startsWith('type='))?.slice(5)
  const mediaType = type === undefined ? {} : { mediaType: type }
  if (content.startsWith('@')) return { name, ...mediaType }
  return { name, value: (type === undefined ? value : content).replace(/^"(.*)"$/s, '$1'), ...mediaType }
}

function bodyOf({
  data,
  text,
  fields,
  isUpload,
  isJson,
  headers,
}: {
  data: readonly Data[]
  text: string
  fields: readonly RecordedField[]
  isUpload: boolean
  isJson: boolean
  headers: [string, string][]
}): RecordedBody | undefined {
  if (fields.length > 0) return { kind: 'multipart', fields }
  const given = headers.find(([name]) => name.toLowerCase() === 'content-type')?.[1]
  const mediaType =
    given ?? (isJson ? 'application/json' : isUpload ? undefined : 'application/x-www-form-urlencoded')
  if (isUpload || data.some(({ isFile }) => isFile))
    return { kind: 'file', ...(mediaType === undefined ? {} : { mediaType: parseContentType(mediaType) }) }
  return data.length > 0 ? { kind: 'text', text, ...(mediaType === undefined ? {} : { mediaType }) } : undefined
}

const has = (headers: readonly (readonly [string, string])[], wanted: string) =>
  headers.some(([name]) => name.toLowerCase() === wanted)
const withQuery = (url: string, query: string) =>
  query === '' ? url : `${url}${url.includes('?') ? '&' : '?'}${query}`
