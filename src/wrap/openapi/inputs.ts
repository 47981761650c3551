import type { JsonSchema } from '../../kit/schema.js'
import { isObject } from '../../protocol/messages.js'
import { fileSchema } from '../http-api/files.js'
import type { BodyProperty, PlannedBody, PlannedParameter, Style } from '../http-api/operation.js'
import { plainText } from '../http-api/plain-text.js'
import type { Raw, ReadBody, ReadOperation } from './reading.js'
import { openKind, type SchemaReader } from './schemas.js'

export interface PlannedInputs {
  readonly input: JsonSchema
  readonly parameters: readonly PlannedParameter[]
  readonly body?: PlannedBody
}

/** Objects with more properties than this stay one argument. */
const maxSpread = 40

/** An argument without its location in the request. */
interface Argument {
  readonly wanted: string
  readonly place: string
  readonly schema: JsonSchema
  readonly isRequired: boolean
  use(argument: string): void
}

/**
 * The arguments of a tool from the parameters of an operation and the properties of its body, or the body as one
 * argument.
 */
export function inputsOf(operation: ReadOperation, schemas: SchemaReader, allowsPaths: boolean): PlannedInputs {
  const parameters: PlannedParameter[] = []
  const args: Argument[] = operation.parameters.map((parameter) => {
    const {
      name,
      in: place,
      isRequired,
      description,
      isDeprecated,
      style,
      explode,
      allowsReserved,
      isJson,
      example,
    } = parameter
    // The schema of an argument is inlined, so that it is visible at once.
    const schema = schemas.unfolded(schemas.read(parameter.schema, parameter.url))
    return {
      wanted: name,
      place,
      isRequired,
      schema: described(schema, description, { isDeprecated, example }),
      use: (argument) =>
        parameters.push({
          argument,
          name,
          in: place,
          style,
          explode,
          ...(allowsReserved ? { allowsReserved } : {}),
          ...(isJson ? { isJson } : {}),
        }),
    }
  })
  // A placeholder in the path without a declared parameter is required too.
  const [pathname = ''] = operation.path.split(/[?#]/)
  for (const [, name = ''] of operation.path.split('#')[0]?.matchAll(/\{([^{}]+)\}/g) ?? []) {
    const isQuery = !pathname.includes(`{${name}}`)
    const isKnown = operation.parameters.some(
      (parameter) => parameter.name === name && (parameter.in === 'path' || (isQuery && parameter.in === 'query')),
    )
    if (isKnown) continue
    const use = (argument: string) =>
      parameters.push({ argument, name, in: 'path', style: 'simple', explode: false })
    args.push({ wanted: name, place: 'path', isRequired: true, schema: { type: 'string' }, use })
  }
  const body = operation.body ? bodyOf(operation.body, schemas, allowsPaths) : undefined
  args.push(...(body?.args ?? []))
  const input = namedInput(args)
  return { input, parameters, ...(body ? { body: body.planned() } : {}) }
}

/** Makes argument names unique: path parameters keep their name, others get their location as a suffix. */
function namedInput(args: readonly Argument[]): JsonSchema {
  const count = new Map<string, number>()
  for (const { wanted } of args) count.set(cleanName(wanted), (count.get(cleanName(wanted)) ?? 0) + 1)
  const properties: Record<string, JsonSchema> = {}
  const required: string[] = []
  for (const { wanted, place, schema, isRequired, use } of args) {
    const clean = cleanName(wanted)
    let name = (count.get(clean) ?? 0) > 1 && place !== 'path' ? `${place}_${clean}` : clean
    for (let more = 2; Object.hasOwn(properties, name); more++) name = `${clean}_${more}`
    properties[name] = schema
    if (isRequired) required.push(name)
    use(name)
  }
  return {
    type: 'object',
    ...(args.length > 0 ? { properties } : {}),
    ...(required.length > 0 ? { required } : {}),
    additionalProperties: false,
  }
}

/** A name that every host accepts: `filter[site]` becomes `filter_site`. */
function cleanName(name: string): string {
  const clean = name
    .replace(/[^A-Za-z0-9_.-]+/g, '_')
    .replace(/^_+(?=[A-Za-z])|_+$/g, '')
    .slice(0, 64)
  return clean === '' ? 'value' : clean
}

function described(
  schema: JsonSchema,
  description: string | undefined,
  { isDeprecated = false, example }: { isDeprecated?: boolean; example?: unknown } = {},
): JsonSchema {
  const about =
    plainText(description ?? '', 500) ||
    (typeof schema.description === 'string' ? plainText(schema.description, 500) : '')
  return {
    ...schema,
    ...(about === '' ? {} : { description: about }),
    ...(isDeprecated ? { deprecated: true } : {}),
    ...(example === undefined || schema.examples !== undefined ? {} : { examples: [example] }),
  }
}

const formOf = (mediaType: string): PlannedBody['form'] => {
  if (/^application\/x-www-form-urlencoded/.test(mediaType)) return 'form'
  if (/^multipart\//.test(mediaType)) return 'multipart'
  if (/[/+]json\b|^\*\/\*/.test(mediaType)) return 'json'
  return /^text\/|[/+](xml|yaml|csv)/.test(mediaType) ? 'text' : 'binary'
}
const preference: readonly PlannedBody['form'][] = ['json', 'form', 'multipart', 'text', 'binary']

function bodyOf(
  body: ReadBody,
  schemas: SchemaReader,
  allowsPaths: boolean,
): { args: Argument[]; planned(): PlannedBody } | undefined {
  const rank = (mediaType: string) =>
    preference.indexOf(formOf(mediaType)) * 2 + (mediaType.startsWith('application/json') ? 0 : 1)
  const [content] = [...body.contents].sort((a, b) => rank(a.mediaType) - rank(b.mediaType))
  if (!content) return undefined
  const form = formOf(content.mediaType)
  const mediaType = content.mediaType === '*/*' ? 'application/json' : content.mediaType
  const schema = content.schema === undefined ? {} : schemas.read(content.schema, content.url)
  const whole =
    form === 'form' || form === 'multipart' || form === 'json'
      ? spreadable(schema, schemas, form !== 'json' || body.isRequired)
      : undefined
  if (!whole) return wholeBody(body, form, mediaType, schema, allowsPaths)
  const properties: BodyProperty[] = []
  const required = (whole.required ?? []) as readonly string[]
  const args = Object.entries(whole.properties as Record<string, JsonSchema>).map(([name, property]): Argument => {
    const isFile = form === 'multipart' && isBytes(property, schemas)
    const made = isFile ? fileArgument(property, schemas, allowsPaths) : schemas.unfolded(property)
    // Forms are rarely marked as required, although they are.
    const isRequired = (body.isRequired || form !== 'json') && required.includes(name)
    const use = (argument: string) =>
      properties.push({
        argument,
        path: [name],
        ...encodingOf(content.encoding[name], form, schemas.isOlder),
        ...(isFile ? { isFile } : {}),
      })
    return { wanted: name, place: 'body', isRequired, schema: described(made, undefined), use }
  })
  // A required body is sent even if it is empty.
  return {
    args,
    planned: () => ({ mediaType, form, properties, ...(body.isRequired && form === 'json' ? { fixed: {} } : {}) }),
  }
}

function wholeBody(
  body: ReadBody,
  form: PlannedBody['form'],
  mediaType: string,
  schema: JsonSchema,
  allowsPaths: boolean,
) {
  let argument = 'body'
  const own = typeof schema.description === 'string' ? schema.description : undefined
  const about = body.description ?? own ?? (form === 'text' ? `The body, as ${mediaType}` : undefined)
  const made =
    form === 'binary'
      ? fileSchema(allowsPaths, about === undefined ? undefined : plainText(about, 300))
      : // Text is sent as text, whatever its schema says.
        described(form === 'text' ? { type: 'string' } : schema, about)
  const use = (name: string) => {
    argument = name
  }
  return {
    args: [{ wanted: 'body', place: 'request', isRequired: body.isRequired, schema: made, use }],
    planned: (): PlannedBody => ({ mediaType, form, argument }),
  }
}

/** A body whose properties can be arguments: an object with known properties and no relevant others. */
function spreadable(schema: JsonSchema, schemas: SchemaReader, isSure: boolean): JsonSchema | undefined {
  const whole = merged(schema, schemas)
  if (!whole || !isObject(whole.properties)) return undefined
  const names = Object.keys(whole.properties)
  const hasKinds = String(whole.$comment ?? '').startsWith(openKind)
  const hasMore = hasKinds || isObject(whole.additionalProperties) || isObject(whole.patternProperties)
  // If the body is optional, its required properties cannot be required arguments.
  const isSafe = isSure || !Array.isArray(whole.required) || whole.required.length === 0
  const isWhole = !['anyOf', 'oneOf', 'not', 'if', 'minProperties'].some((keyword) => keyword in whole)
  return names.length > 0 && names.length <= maxSpread && !hasMore && isSafe && isWhole ? whole : undefined
}

/** An object behind a reference or an `allOf`, as one schema. */
function merged(given: JsonSchema, schemas: SchemaReader, depth = 0): JsonSchema | undefined {
  const schema = schemas.unfolded(given)
  if (!Array.isArray(schema.allOf)) return schema
  if (depth > 5) return undefined
  const { allOf, ...own } = schema
  const parts = (allOf as JsonSchema[]).map((part) => merged(part, schemas, depth + 1))
  if (parts.some((part) => part === undefined)) return undefined
  const all = [...(parts as JsonSchema[]), own]
  return {
    ...Object.assign({}, ...all),
    properties: Object.assign({}, ...all.map(({ properties }) => properties ?? {})),
    required: [...new Set(all.flatMap(({ required }) => (Array.isArray(required) ? required : [])))],
  }
}

/** True for bytes, or a list of bytes. */
function isBytes(given: JsonSchema, schemas: SchemaReader): boolean {
  const schema = schemas.unfolded(given)
  if (schema.type === 'array') return isObject(schema.items) && isBytes(schema.items, schemas)
  return (
    schema.type === 'string' &&
    (schema.format === 'binary' ||
      (typeof schema.contentMediaType === 'string' && schema.contentEncoding === undefined))
  )
}

function fileArgument(given: JsonSchema, schemas: SchemaReader, allowsPaths: boolean): JsonSchema {
  const schema = schemas.unfolded(given)
  const about = typeof schema.description === 'string' ? schema.description : undefined
  const file = fileSchema(allowsPaths, about)
  return schema.type === 'array'
    ? { type: 'array', items: file, ...(about === undefined ? {} : { description: about }) }
    : file
}

/** From version 3.1 on, styles apply to multipart bodies too. */
function encodingOf(encoding: Raw['schema'], form: PlannedBody['form'], isOlder: boolean): Partial<BodyProperty> {
  if (!isObject(encoding)) return {}
  const { style, explode, contentType } = encoding
  const takesStyles = form === 'form' || (form === 'multipart' && !isOlder)
  const isStyled = takesStyles && (typeof style === 'string' || typeof explode === 'boolean')
  return {
    ...(isStyled ? { style: (typeof style === 'string' ? style : 'form') as Style } : {}),
    ...(isStyled && typeof explode === 'boolean' ? { explode } : {}),
    ...(form === 'multipart' && typeof contentType === 'string'
      ? { mediaType: contentType.split(',')[0]?.trim() ?? contentType }
      : {}),
  }
}
