import { toBase64 } from '../protocol/base64.js'
import type { JsonObject } from '../protocol/messages.js'
import type {
  Annotations,
  AudioContent,
  ContentBlock,
  EmbeddedContent,
  ImageContent,
  LinkContent,
  ResourceContents,
  ResourceDefinition,
  TextContent,
} from '../protocol/types.js'
import { branded, brands, hasBrand } from './brand.js'

export interface ContentOptions {
  annotations?: Annotations
  meta?: JsonObject
}
/** Content that can be embedded: text, or bytes (sent as base64). */
export type Embeddable = { uri: string; mimeType?: string; meta?: JsonObject } & (
  | { text: string }
  | { bytes: Uint8Array }
)

/**
 * Builders of content for a tool's or prompt's result, one block or several in an array (Tools, "Tool Result").
 *
 * @example return [content.text('The frame of today:'), content.image(png, 'image/png')]
 */
export const content = Object.freeze({
  /** Text. */
  text: (text: string, options?: ContentOptions): TextContent => block({ type: 'text', text }, options),
  /** An image, from its bytes. */
  image: (bytes: Uint8Array, mimeType: string, options?: ContentOptions): ImageContent =>
    block({ type: 'image', data: base64Of('image', bytes), mimeType: typeOf('image', mimeType) }, options),
  /** Audio, from its bytes; peers of revision 2024-11-05 receive a text note instead. */
  audio: (bytes: Uint8Array, mimeType: string, options?: ContentOptions): AudioContent =>
    block({ type: 'audio', data: base64Of('audio', bytes), mimeType: typeOf('audio', mimeType) }, options),
  /** A link to a resource; older peers receive its URI as text. */
  link: (resource: ResourceDefinition, options?: ContentOptions): LinkContent =>
    block({ type: 'resource_link', ...resource }, options),
  /** A resource inside the result, as text or bytes. */
  embed: (given: Embeddable, options?: ContentOptions): EmbeddedContent =>
    block({ type: 'resource', resource: contentsOf(given) }, options),
})

/** The checks that TypeScript makes, for kits written in JavaScript. */
function typeOf(kind: string, mimeType: unknown): string {
  if (typeof mimeType === 'string' && /^[\w.+-]+\/[\w.+-]+/.test(mimeType)) return mimeType
  throw new TypeError(
    `content.${kind}: the second argument is the media type, such as ${kind}/${kind === 'image' ? 'png' : 'wav'}`,
  )
}

function base64Of(kind: string, bytes: unknown): string {
  if (ArrayBuffer.isView(bytes)) return toBase64(bytes as Uint8Array)
  throw new TypeError(`content.${kind}: the first argument is the bytes, a Uint8Array`)
}

function block<T extends ContentBlock>(value: T, options: ContentOptions | undefined): T {
  const { annotations, meta } = options ?? {}
  return branded(
    { ...value, ...(annotations ? { annotations } : {}), ...(meta ? { _meta: meta } : {}) },
    brands.content,
  ) as T
}

function contentsOf(given: Embeddable): ResourceContents {
  const { uri, mimeType, meta } = given
  const body = 'text' in given ? { text: given.text } : { blob: toBase64(given.bytes) }
  return { uri, ...(mimeType === undefined ? {} : { mimeType }), ...body, ...(meta ? { _meta: meta } : {}) }
}

/** True for a value made by a builder of this or of another copy of the package. */
export const isContent = (value: unknown): value is ContentBlock => hasBrand(value, brands.content)

/** The blocks in a returned value, or undefined if it is plain data. Strings between blocks become text. */
export function blocksOf(value: unknown): ContentBlock[] | undefined {
  if (isContent(value)) return [value]
  if (!Array.isArray(value) || !value.some(isContent)) return undefined
  return value.map((item) =>
    isContent(item) ? item : content.text(typeof item === 'string' ? item : JSON.stringify(item)),
  )
}
