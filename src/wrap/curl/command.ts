import { uriUnreserved } from '../../escape/uri.js'
import { globbed } from './glob.js'
import { parse as parseContentType } from './media-type.js'
import { type CurlOption, curlOption } from './options.js'
import {
  type RecordedBody,
  type RecordedField,
  type RecordedRequest,
  startsWithVariable,
  variableMark,
  variableMarks,
} from './recorded.js'

interface Data {
  readonly text: string
  /** The content of a file, which is unknown here. */
  readonly isFile: boolean
  /** Appended to the previous piece without `&`. */
  readonly isJoined: boolean
}

/** The request that the options up to the next `--next` describe. */
class Options {
  readonly urls: string[] = []
  readonly headers: [string, string][] = []
  readonly data: Data[] = []
  readonly queryPieces: string[] = []
  readonly fields: RecordedField[] = []
  method: string | undefined
  basic: string | undefined
  upload: string | undefined
  isGet = false
  isHead = false
  isJson = false
  isGlobbed = true
  readonly #stdin: string | undefined

  constructor(stdin: string | undefined) {
    this.#stdin = stdin
  }

  take(name: string, value: string): void {
    switch (name) {
      case '--request':
        this.method = value.toUpperCase()
        break
      case '--header':
        addHeader(this.headers, value)
        break
      case '--data':
      case '--data-ascii':
        this.data.push(this.#dataOf(value, false))
        break
      case '--data-binary':
        this.data.push(this.#dataOf(value, true))
        break
      case '--json':
        this.isJson = true
        this.data.push({ ...this.#dataOf(value, true), isJoined: true })
        break
      case '--data-raw':
        this.data.push({ text: value, isFile: false, isJoined: false })
        break
      case '--data-urlencode':
        this.data.push(this.#urlEncoded(value))
        break
      case '--url-query':
        this.queryPieces.push(value.startsWith('+') ? value.slice(1) : this.#urlEncoded(value).text)
        break
      case '--form':
        this.fields.push(this.#fieldOf(value))
        break
      case '--form-string':
        this.fields.push({ name: value.split('=')[0] ?? '', value: value.slice(value.indexOf('=') + 1) })
        break
      case '--user':
        this.basic = value
        break
      case '--oauth2-bearer':
        this.headers.push(['authorization', `Bearer ${value}`])
        break
      case '--cookie':
        if (!value.includes('=') && !startsWithVariable(value)) throw new Error('its cookies come from a file')
        this.headers.push(['cookie', value])
        break
      case '--user-agent':
        this.headers.push(['user-agent', value])
        break
      case '--referer':
        this.headers.push(['referer', value.replace(/;auto$/, '')])
        break
      case '--range':
        this.headers.push(['range', `bytes=${value}`])
        break
      case '--upload-file':
        this.upload = value
        break
      case '--url':
        this.urls.push(value)
        break
      case '--get':
        this.isGet = true
        break
      case '--head':
        this.isHead = true
        break
      case '--globoff':
        this.isGlobbed = false
    }
  }

  /** Without `keepsLines`, curl removes line ends from its input. */
  #dataOf(value: string, keepsLines: boolean): Data {
    if (value === '@-' && this.#stdin !== undefined) {
      const text = keepsLines ? this.#stdin : this.#stdin.replace(/[\r\n]+/g, '')
      return { text, isFile: false, isJoined: false }
    }
    return { text: value, isFile: value.startsWith('@'), isJoined: false }
  }

  /** `text`, `=text`, `name=text`, `name@file`: a named file becomes an argument. */
  #urlEncoded(text: string): Data {
    const at = text.search(/[=@]/)
    const name = at < 0 ? '' : text.slice(0, at)
    if (at >= 0 && text.charAt(at) === '@') {
      const isGiven = text.slice(at + 1) === '-' && this.#stdin !== undefined
      if (name === '' && !isGiven) return { text, isFile: true, isJoined: false }
      const value = isGiven ? encoded(this.#stdin ?? '') : variableMark(name)
      return { text: name === '' ? value : `${name}=${value}`, isFile: false, isJoined: false }
    }
    const value = encoded(at < 0 ? text : text.slice(at + 1))
    return { text: name === '' ? value : `${name}=${value}`, isFile: false, isJoined: false }
  }

  /** `name=text`, `name="text"`, `name=@file`, `name=<file`, optionally followed by `;type=…` and similar. */
  #fieldOf(text: string): RecordedField {
    const at = text.indexOf('=')
    if (at < 0) throw new Error(`the form field ${JSON.stringify(text.slice(0, 60))} has no "="`)
    const name = text.slice(0, at)
    const content = text.slice(at + 1)
    const [whole = '', quoted] = /^"((?:[^"\\]|\\.)*)"/.exec(content) ?? []
    const from = content.slice(whole.length).search(/;\s{0,9}(?:type|filename|headers|encoder)=/)
    const rest = from < 0 ? '' : content.slice(whole.length + from)
    const bare = (from < 0 ? content : content.slice(0, whole.length + from)).trimEnd()
    if (/;\s{0,9}(headers|encoder)=/.test(rest))
      throw new Error(`the form field ${name} has its own headers or encoder`)
    const type = /;\s{0,9}type=("[^"]*"|[^;"]+(?:;\s{0,9}charset=[\w-]+)?)/
      .exec(rest.slice(0, 1000))?.[1]
      ?.replaceAll('"', '')
      .trim()
    const mediaType = type === undefined ? {} : { mediaType: type }
    if (quoted !== undefined) return { name, value: quoted.replace(/\\(.)/gs, '$1'), ...mediaType }
    if (bare.startsWith('@')) {
      const named = /;\s{0,9}filename=("[^"]*"|[^;"]+)/.exec(rest.slice(0, 1000))?.[1]?.replaceAll('"', '').trim()
      const fileName = (named ?? bare.slice(1).split(/[\\/]/).at(-1) ?? '').replace(variableMarks, '')
      return { name, ...mediaType, ...(fileName === '' || fileName === '-' ? {} : { fileName }) }
    }
    if (!bare.startsWith('<')) return { name, value: bare, ...mediaType }
    const isGiven = bare === '<-' && this.#stdin !== undefined
    return { name, value: isGiven ? (this.#stdin ?? '') : variableMark(name), ...mediaType }
  }
}

/**
 * The requests of a curl command line: one for each URL, and for each part between `--next`. `stdin` is the command's
 * input, if known. Throws with a reason if there is no URL, or if an option changes the request in a way that cannot be
 * repeated.
 */
export function requestsOfCurl(words: readonly string[], where: string, stdin?: string): RecordedRequest[] {
  const all = [new Options(stdin)]
  for (const { option, value } of optionsIn(words)) {
    const current = all.at(-1) as Options
    if (option === undefined) current.urls.push(value)
    else if (option.name === '--next') all.push(new Options(stdin))
    else if (option.use === 'refused')
      throw new Error(`${option.name} changes the request in a way that is not supported`)
    else current.take(option.name, value)
  }
  return all.flatMap((options) => requestsOf(options, where))
}

function requestsOf(options: Options, where: string): RecordedRequest[] {
  const { headers, data, basic, upload, isGet, isHead, isJson } = options
  const urls = options.urls.filter((url) => url !== '')
  if (urls.length === 0) throw new Error('it has no URL')
  if (data.length > 1 && data.some(({ isFile }) => isFile))
    throw new Error('it joins data with the content of a file')
  const text = data.map((piece, at) => `${at > 0 && !piece.isJoined ? '&' : ''}${piece.text}`).join('')
  if (isGet && data.some(({ isFile }) => isFile)) throw new Error('its query comes from a file')
  const query = [...options.queryPieces, ...(isGet && data.length > 0 ? [text] : [])].join('&')
  const body = isGet ? undefined : bodyOf(options, text)
  if (isJson && !has(headers, 'accept')) headers.push(['accept', 'application/json'])
  const method = options.method ?? (isHead ? 'HEAD' : upload !== undefined ? 'PUT' : body ? 'POST' : 'GET')
  return urls
    .flatMap((url) => (options.isGlobbed ? globbed(url) : [url]))
    .map((url) => ({
      where,
      method,
      url: withQuery(
        uploadUrl(/^[a-z]+:\/\//i.test(url) || startsWithVariable(url) ? url : `http://${url}`, upload),
        query,
      ),
      headers: [...headers],
      ...(body ? { body } : {}),
      ...(basic === undefined ? {} : { basic }),
    }))
}

/** If a URL ends with a slash, curl adds the name of the file. */
function uploadUrl(url: string, upload: string | undefined): string {
  const name = upload?.replace(/^.*[\\/]/, '') ?? ''
  return name !== '' && name !== '-' && name !== '.' && /^[^?]*\/$/.test(url) ? url + uriUnreserved(name) : url
}

/** Options with their values, and other words; `-XPOST`, `-sSL` and `--request=POST` are split. */
function* optionsIn(words: readonly string[]): Generator<{ option?: CurlOption; value: string }> {
  let areOptionsOver = false
  for (let at = 0; at < words.length; at++) {
    const word = words[at] ?? ''
    if (areOptionsOver || !word.startsWith('-') || word === '-') yield { value: word }
    else if (word === '--') areOptionsOver = true
    else if (word.startsWith('--')) {
      const [name = '', ...rest] = word.split('=')
      const option = curlOption(name)
      yield { option, value: !option.takesValue ? '' : rest.length > 0 ? rest.join('=') : (words[++at] ?? '') }
    } else
      for (let letter = 1; letter < word.length; letter++) {
        const option = curlOption(`-${word.charAt(letter)}`)
        const attached = word.slice(letter + 1)
        yield { option, value: !option.takesValue ? '' : attached === '' ? (words[++at] ?? '') : attached }
        if (option.takesValue) break
      }
  }
}

function addHeader(headers: [string, string][], text: string): void {
  if (text.startsWith('@')) throw new Error('its headers come from a file')
  const at = text.indexOf(':')
  // `Name;` sends an empty header, `Name:` removes one.
  if (at < 0 && text.endsWith(';')) headers.push([text.slice(0, -1), ''])
  if (at > 0 && text.slice(at + 1).trim() !== '')
    headers.push([text.slice(0, at).trim(), text.slice(at + 1).trim()])
}

const encoded = (text: string) => uriUnreserved(text).replaceAll('%20', '+')

function bodyOf({ data, fields, upload, isJson, headers }: Options, text: string): RecordedBody | undefined {
  if (fields.length > 0) return { kind: 'multipart', fields }
  const isUpload = upload !== undefined
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
