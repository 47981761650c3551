/** A request as somebody has written or recorded it. */
export interface RecordedRequest {
  /** Where it was found, such as `README.md:14`. */
  readonly where: string
  /** A name that stands with it. */
  readonly name?: string
  /** The heading, sentence or comment before it. */
  readonly about?: string
  readonly method: string
  /** As it was written, with marks for variables in it. */
  readonly url: string
  readonly headers: readonly (readonly [name: string, value: string])[]
  readonly body?: RecordedBody
  /** User name and password. */
  readonly basic?: string
}
export type RecordedBody =
  | { readonly kind: 'text'; readonly text: string; readonly mediaType?: string }
  | { readonly kind: 'multipart'; readonly fields: readonly RecordedField[] }
  /** The content of a file, which is not here. */
  | { readonly kind: 'file'; readonly mediaType?: string }
export interface RecordedField {
  readonly name: string
  /** Undefined for a file. */
  readonly value?: string
  readonly mediaType?: string
}

/** Requests of a source, and what in it could not be read. */
export interface RecordedRequests {
  readonly requests: readonly RecordedRequest[]
  readonly unread: readonly { where: string; reason: string }[]
}

/** A variable in a text, such as `$TOKEN` or `{{token}}`, as a mark of private characters that no text contains by itself. */
export const variableMark = (name: string): string => `\ue000${name}\ue001`
export const variableMarks = /\ue000([^\ue001]*)\ue001/g

/** The one variable that a text is, or undefined. */
export const soleVariable = (text: string): string | undefined => {
  const [whole, name] = new RegExp(variableMarks.source).exec(text) ?? []
  return whole === text ? name : undefined
}
/** A text with its variables as people write them. */
export const readable = (text: string): string => text.replace(variableMarks, (_mark, name: string) => `$${name}`)
