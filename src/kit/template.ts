import { protocolErrors } from '../protocol/errors.js'
import type { Annotations, ResourceDefinition } from '../protocol/types.js'
import { parseUriTemplate } from '../protocol/uri-template.js'
import { branded, brands } from './brand.js'
import type { Call, Completer } from './call.js'
import { kitErrors } from './errors.js'
import { checkKeys, extraKeys } from './option-keys.js'
import {
  checkAbout,
  checkFunction,
  extrasOf,
  labelOf,
  type PartExtras,
  type ReadReturn,
  type TemplatePart,
} from './part.js'
import type { Settings } from './settings.js'
import type { KeysOf, VariablesOf } from './typing.js'

export interface TemplateOptions<U extends string = string, S extends Settings = Settings> extends PartExtras<S> {
  name: string
  about: string
  mimeType?: string
  annotations?: Annotations
  /** Lists the resources that exist under the template now. */
  list?(call: Call<S>): readonly ResourceDefinition[] | Promise<readonly ResourceDefinition[]>
  /** Completions of a variable. */
  complete?: { readonly [Variable in KeysOf<VariablesOf<U>>]?: Completer<S> }
  /** Returns the resource's contents, as with `resource`; variables arrive percent-decoded. */
  read(variables: VariablesOf<U>, call: Call<S>): ReadReturn
}

const templateKeys = ['name', 'about', 'mimeType', 'annotations', 'list', 'complete', 'read', ...extraKeys]

/** Defines resources by a URI template of RFC 6570 (Resources, "Resource Templates"). Throws a `JexoError` if the template cannot be read. */
export function template<const U extends string, const S extends Settings = Settings>(
  uriTemplate: U,
  options: TemplateOptions<U, S>,
): TemplatePart {
  const label = labelOf('template', uriTemplate)
  const parsed = parseUriTemplate(uriTemplate)
  if (parsed.variables.length === 0)
    throw protocolErrors.templateInvalid(uriTemplate, 'it has no variable; use resource(…)')
  checkKeys(label, options, templateKeys)
  checkAbout(label, options.about)
  checkFunction(label, 'read', options.read)
  const complete = Object.freeze({ ...(options.complete as Record<string, Completer> | undefined) })
  for (const variable of Object.keys(complete)) {
    if (!parsed.variables.includes(variable)) {
      throw kitErrors.partField(
        label,
        `complete.${variable}`,
        `a completion for one of ${parsed.variables.join(', ')}`,
      )
    }
  }
  if (typeof options.name !== 'string' || options.name === '')
    throw kitErrors.partField(label, 'name', 'a short name')
  const part: TemplatePart = {
    kind: 'template',
    uriTemplate,
    parsed,
    name: options.name,
    about: options.about,
    ...extrasOf(label, options),
    mimeType: options.mimeType,
    annotations: options.annotations,
    list: options.list as TemplatePart['list'],
    complete,
    read: options.read as TemplatePart['read'],
  }
  return branded(part, brands.part)
}
