/** A written or recorded request. */
export interface RecordedRequest {
  /** Its location, such as `README.md:14`. */
  readonly where: string
  /** A name that was given to it. */
  readonly name?: string
  /** The heading, sentence or comment before it. */
  readonly about?: string
  readonly method: string
  /** The original text, with marks in place of variables. */
  readonly url: string
  readonly headers: readonly (readonly [name: string, value: string])[]
  readonly body?: RecordedBody
  /** User name and password. */
  readonly basic?: string
  /** True for recordings of browsers and proxies, whose values are private. */
  readonly isRecording?: boolean
}
export type RecordedBody =
  | { readonly kind: 'text'; readonly text: string; readonly mediaType?: string }
  | { readonly kind: 'multipart'; readonly fields: readonly RecordedField[] }
  /** The content of a file, which is unknown here. */
  | { readonly kind: 'file'; readonly mediaType?: string }
export interface RecordedField {
  readonly name: string
  /** Undefined for a file. */
  readonly value?: string
  readonly mediaType?: string
  /** The name of a file. */
  readonly fileName?: string
}

/** Requests of a source, and the parts of it that could not be read. */
export interface RecordedRequests {
  readonly requests: readonly RecordedRequest[]
  readonly unread: readonly { where: string; reason: string }[]
}

/** Random for each process, so that sources cannot contain a mark, escaped or encoded. */
const nonce = crypto.randomUUID().replaceAll('-', '')

/** The mark for a variable in a text, such as `$TOKEN` or `{{token}}`, which no source can contain. */
export const variableMark = (name: string): string => `\ue000${nonce}${variableName(name)}\ue001`
export const variableMarks = new RegExp(`\ue000${nonce}(\\w+)\ue001`, 'g')
/** The same as part of another expression, without a group. */
export const variableMarkSource = `\ue000${nonce}\\w+\ue001`

/** A valid name for a setting, for any name of a variable. */
const variableName = (name: string): string =>
  name
    .slice(0, 100)
    .replace(/\W+/g, '_')
    .replace(/^(?=\d)/, '_') || 'value'

export const startsWithVariable = (text: string): boolean => text.startsWith(`\ue000${nonce}`)

/** The variable, if a text consists of exactly one; otherwise undefined. */
export const soleVariable = (text: string): string | undefined => {
  const [whole, name] = new RegExp(variableMarks.source).exec(text) ?? []
  return whole === text ? name : undefined
}
/** A text with its variables in their original notation. */
export const readable = (text: string): string => text.replace(variableMarks, (_mark, name: string) => `$${name}`)
