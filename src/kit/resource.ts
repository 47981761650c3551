import type { Annotations } from '../protocol/types.js'
import { branded, brands } from './brand.js'
import type { Call } from './call.js'
import { kitErrors } from './errors.js'
import { checkKeys, extraKeys } from './option-keys.js'
import {
  checkAbout,
  checkFunction,
  extrasOf,
  labelOf,
  type PartExtras,
  type ReadReturn,
  type ResourcePart,
} from './part.js'
import type { Settings } from './settings.js'

export interface ResourceOptions<S extends Settings = Settings> extends PartExtras<S> {
  name: string
  about: string
  mimeType?: string
  /** Size in bytes, if known. */
  size?: number
  annotations?: Annotations
  /** Returns text, bytes, several by `content.embed(…)` in an array, or any other value as JSON. */
  read(call: Call<S>): ReadReturn
}

const resourceKeys = ['name', 'about', 'mimeType', 'size', 'annotations', 'read', ...extraKeys]

/** Defines a resource under a fixed URI (Resources). Throws a `JexoError` if the URI is not valid. */
export function resource<const S extends Settings = Settings>(
  uri: string,
  options: ResourceOptions<S>,
): ResourcePart {
  const label = labelOf('resource', uri)
  if (typeof uri !== 'string' || !URL.canParse(uri)) throw kitErrors.uriInvalid(label, String(uri))
  checkKeys(label, options, resourceKeys)
  checkAbout(label, options.about)
  checkFunction(label, 'read', options.read)
  const part: ResourcePart = {
    kind: 'resource',
    uri,
    name: options.name,
    about: options.about,
    ...extrasOf(label, options),
    mimeType: options.mimeType,
    size: options.size,
    annotations: options.annotations,
    read: options.read as ResourcePart['read'],
  }
  if (typeof part.name !== 'string' || part.name === '') throw kitErrors.partField(label, 'name', 'a short name')
  return branded(part, brands.part)
}
