import { isDeepStrictEqual } from 'node:util'
import type { JsonSchema } from '../../kit/schema.js'
import { fileSchema } from '../http-api/files.js'
import type { Generated } from '../http-api/generated.js'
import type { BodyProperty, PlannedBody, PlannedParameter } from '../http-api/operation.js'
import { generatedText } from './dynamic.js'
import { graphOperation } from './group.js'
import { inferTexts, inferValues } from './infer.js'
import { readable, soleVariable, variableMark, variableMarks } from './recorded.js'
import type { SecretReader } from './secrets.js'
import type { TakenApart, TakenBody } from './taken-apart.js'

/** Merges requests that only differ in values into one operation whose arguments are these values. */
export interface Merged {
  readonly method: string
  readonly origin: string
  readonly path: string
  readonly input: JsonSchema
  readonly parameters: readonly PlannedParameter[]
  readonly body?: PlannedBody
  readonly credentials: readonly string[]
  readonly accept: string
  readonly requests: readonly TakenApart[]
  readonly generated?: Generated
}

export function mergedRequests(group: readonly TakenApart[], secrets: SecretReader, options: MergeOptions): Merged {
  const [first] = group as [TakenApart]
  const merger = new Merger(group, secrets, options)
  const path = merger.path()
  merger.query()
  const accept = merger.headers()
  const body = first.body && merger.body(first.body)
  return {
    method: first.request.method,
    origin: first.origin,
    path,
    input: merger.input(),
    parameters: merger.parameters,
    ...(body ? { body } : {}),
    credentials: [...merger.credentials],
    accept,
    requests: group,
    ...(Object.keys(merger.generated).length > 0 ? { generated: merger.generated } : {}),
  }
}

export interface MergeOptions {
  /** Arguments may name files of this machine. */
  readonly allowsPaths: boolean
  /** Values of recordings become defaults and examples, as those of documents do. */
  readonly keepValues: boolean
}

/** A value in each request of a group; undefined for requests without one. */
type Occurrences = readonly unknown[]

class Merger {
  readonly parameters: PlannedParameter[] = []
  readonly credentials = new Set<string>()
  readonly generated: Record<string, string> = {}
  readonly #group: readonly TakenApart[]
  readonly #secrets: SecretReader
  readonly #allowsPaths: boolean
  readonly #keepsValues: boolean
  readonly #properties: Record<string, JsonSchema> = {}
  readonly #required: string[] = []
  readonly #defaults = new Map<string, unknown>()

  constructor(group: readonly TakenApart[], secrets: SecretReader, { allowsPaths, keepValues }: MergeOptions) {
    this.#group = group
    this.#secrets = secrets
    this.#allowsPaths = allowsPaths
    // Actions in a recording must not become part of the kit, neither to be repeated nor as examples.
    this.#keepsValues = keepValues || !group.some(({ request }) => request.isRecording)
  }

  input(): JsonSchema {
    return {
      type: 'object',
      ...(Object.keys(this.#properties).length > 0 ? { properties: this.#properties } : {}),
      ...(this.#required.length > 0 ? { required: this.#required } : {}),
      additionalProperties: false,
    }
  }

  path(): string {
    const [first] = this.#group as [TakenApart]
    for (const { basic } of this.#group) if (basic !== undefined) this.credentials.add(this.#secrets.ofBasic(basic))
    const pieces = first.segments.map(({ variable, raw }, at) => {
      if (variable === undefined) return raw
      const found = this.#group.map(({ segments }) => segments[at] ?? { text: '', raw: '' })
      const generated = found.map((segment) => generatedText(variableMark(segment.variable ?? '')))
      const isGenerated = generated.every((template) => template !== undefined)
      const named = found.map((segment) => (isGenerated ? undefined : segment.variable)).find(Boolean)
      const texts = found.map(({ text }) => text)
      const wanted = named ?? nameAfter(first.segments[at - 1]?.text, texts)
      const setting = this.#secret(wanted, texts)
      const name = uniqueIn(wanted, new Set(this.parameters.map((parameter) => parameter.name)))
      if (setting !== undefined)
        this.parameters.push({ setting, name, in: 'path', style: 'simple', explode: false })
      else {
        const plain = found.map((segment) => (segment.variable === '' ? segment.text : undefined))
        this.parameters.push({
          ...this.#from(
            isGenerated
              ? this.#generatedArgument(wanted, String(generated[0]), '')
              : this.#argument(wanted, plain, true),
          ),
          ...this.#recordedOf(first.segments[at]?.text, first.segments[at]?.raw),
          name,
          in: 'path',
          style: 'simple',
          explode: false,
        })
      }
      return `{${name}}`
    })
    return `/${pieces.join('/')}`
  }

  query(): void {
    const names = [...new Set(this.#group.flatMap(({ query }) => query.map(({ name }) => name)))]
    for (const name of names) {
      const given = this.#group.map(({ query }) => query.filter((pair) => pair.name === name))
      const all = given.flat()
      const [one] = all
      const credential = one && this.#secrets.ofQuery(name, one.value)
      if (credential !== undefined) {
        for (const { value } of all) this.#secrets.ofQuery(name, value)
        this.credentials.add(credential)
        continue
      }
      const isList = given.some((pairs) => pairs.length > 1)
      const { schema, toValue } = inferTexts(all.map(({ value }) => value))
      const values = given.map((pairs) =>
        pairs.length === 0
          ? undefined
          : isList
            ? pairs.map(({ value }) => toValue(value))
            : toValue(pairs[0]?.value ?? ''),
      )
      const shape = isList ? { type: 'array', items: schema } : schema
      const recorded = this.#recordedOf(values[0], given[0]?.map(({ raw }) => raw).join('&'))
      this.#place(name, values, shape, (source) =>
        this.parameters.push({ ...source, name, in: 'query', style: 'form', explode: true, ...recorded }),
      )
    }
  }

  /** Value of the header `accept`. */
  headers(): string {
    let accept = '*/*'
    const names = [...new Set(this.#group.flatMap(({ headers }) => headers.map(([name]) => name.toLowerCase())))]
    for (const lower of names) {
      const given = this.#group.map(({ headers }) => headers.find(([name]) => name.toLowerCase() === lower))
      const name = given.find((pair) => pair !== undefined)?.[0] ?? lower
      const values = given.map((pair) => pair?.[1])
      const secret = values.flatMap((value) =>
        value === undefined ? [] : (this.#secrets.ofHeader(name, value) ?? []),
      )
      if (secret.length > 0) for (const credential of secret) this.credentials.add(credential)
      else if (lower === 'accept') accept = values.find((value) => value !== undefined) ?? accept
      else {
        const isSame =
          this.#keepsValues &&
          values.every((value) => isDeepStrictEqual(value, values[0])) &&
          soleVariable(values[0] ?? '') === undefined
        const at = { name, in: 'header', style: 'simple', explode: false } as const
        if (isSame) this.parameters.push({ fixed: readable(values[0] ?? ''), ...at })
        else this.#place(name, values, { type: 'string' }, (source) => this.parameters.push({ ...source, ...at }))
      }
    }
    return accept
  }

  body(first: TakenBody): PlannedBody {
    const { form, mediaType, text, json } = first
    const isGraph = graphOperation(first) !== undefined
    if (form === 'binary')
      return { form, mediaType, argument: this.#add('body', fileSchema(this.#allowsPaths), true) }
    if (form === 'text') {
      const texts = this.#group.map(({ body }) => body?.text)
      const { argument, otherwise } = this.#from(this.#argument('body', texts, true))
      return { form, mediaType, argument, ...(otherwise === undefined ? {} : { fixed: otherwise }) }
    }
    const properties: BodyProperty[] = []
    let hasSecret = false
    for (const path of this.#paths()) {
      const found = this.#group.map(({ body }) => body?.leaves.find((leaf) => isDeepStrictEqual(leaf.path, path)))
      const [leaf] = found.filter((one) => one !== undefined)
      const name = path.at(-1) ?? 'value'
      const values = found.map((one) => one?.value)
      const isList = form !== 'json' && values.some((value) => Array.isArray(value))
      // The text of an operation is code of the page's author, not a person's data.
      if (isGraph && path.length === 1 && /^(query|operationName)$/.test(name)) {
        properties.push({ fixed: values[0], path })
        continue
      }
      if (leaf?.isFile) {
        properties.push({
          argument: this.#add(
            name,
            isList ? { type: 'array', items: fileSchema(this.#allowsPaths) } : fileSchema(this.#allowsPaths),
            true,
          ),
          path,
          isFile: true,
          ...(leaf.mediaType === undefined ? {} : { mediaType: leaf.mediaType }),
          ...(leaf.fileName === undefined ? {} : { fileName: leaf.fileName }),
        })
        continue
      }
      const setting = this.#secret(
        name,
        values.filter((value): value is string => typeof value === 'string'),
      )
      hasSecret ||= setting !== undefined
      const isText = form !== 'json'
      const { schema, toValue } = isText
        ? inferTexts(known(values).flat().map(String))
        : { schema: inferValues(known(values)), toValue: (value: unknown) => value }
      const typed = values.map((value) => {
        if (value === undefined) return undefined
        return isList ? [value].flat().map((item) => toValue(item as string)) : toValue(value as string)
      })
      const shape = isList ? { type: 'array', items: schema } : schema
      const type = leaf?.mediaType === undefined ? {} : { mediaType: leaf.mediaType }
      if (setting !== undefined) properties.push({ setting, path, ...type })
      else
        this.#place(path.length > 1 && name in this.#properties ? path.join('_') : name, typed, shape, (source) =>
          properties.push({ ...source, path, ...type }),
        )
    }
    const pairs = this.#group[0]?.body?.leaves.map((leaf) => [leaf.path[0], leaf.value])
    const whole = form === 'json' ? json : form === 'form' ? pairs : undefined
    const recorded = hasSecret ? {} : this.#recordedOf(whole, text)
    return { form, mediaType, properties, ...(form === 'json' ? { fixed: {} } : {}), ...recorded }
  }

  #paths(): (readonly string[])[] {
    const paths = this.#group.flatMap(({ body }) => body?.leaves.map(({ path }) => path) ?? [])
    return paths.filter((path, at) => paths.findIndex((other) => isDeepStrictEqual(other, path)) === at)
  }

  /** The setting for a value that is a secret in any of the requests. */
  #secret(name: string, values: readonly string[]): string | undefined {
    const settings = values.flatMap((value) => this.#secrets.ofValue(name, value) ?? [])
    const [setting] = settings
    if (setting !== undefined) this.credentials.add(`value ${setting}`)
    return setting
  }

  /** A value that is equal in all requests is a constant; otherwise it becomes an argument. */
  #place(
    name: string,
    values: Occurrences,
    schema: JsonSchema,
    use: (source: { argument: string; otherwise?: unknown } | { fixed: unknown }) => void,
  ): void {
    const isSame =
      this.#keepsValues &&
      values.length > 1 &&
      values.every((value) => isDeepStrictEqual(value, values[0])) &&
      !hasVariable(values[0])
    if (isSame) use({ fixed: values[0] })
    else use(this.#from(this.#argument(name, values, false, schema)))
  }

  /** An argument with the observed values: a default if they were equal, otherwise examples. */
  #argument(name: string, values: Occurrences, isNeeded: boolean, schema?: JsonSchema): string {
    const generated = values.map((value) => (typeof value === 'string' ? generatedText(value) : undefined))
    const [template] = generated
    if (template !== undefined && generated.every((one) => one !== undefined))
      return this.#generatedArgument(name, template, String(values[0]))
    const variable = values
      .map((value) => (typeof value === 'string' ? soleVariable(value) : undefined))
      .find((one) => one !== undefined)
    const seen = known(values).filter((value) => !hasVariable(value))
    const distinct = seen.filter((value, at) => seen.findIndex((other) => isDeepStrictEqual(other, value)) === at)
    const isAlways = seen.length === values.length
    const isTyped = schema !== undefined && !values.some(hasVariable)
    const shape: JsonSchema = isTyped ? schema : seen.length === 0 ? { type: 'string' } : inferValues(seen)
    const made = {
      ...shape,
      ...(this.#keepsValues && distinct.length === 1 && isAlways ? { default: distinct[0] } : {}),
      ...(this.#keepsValues && distinct.length > 0 ? { examples: distinct.slice(0, 5) } : {}),
    }
    const isRequired =
      (isNeeded && !this.#keepsValues) ||
      seen.length === 0 ||
      (isAlways && distinct.length > 1) ||
      (isNeeded && !(distinct.length === 1 && isAlways))
    const argument = this.#add(variable?.toLowerCase() ?? name, made, isRequired)
    if ('default' in made) this.#defaults.set(argument, made.default)
    return argument
  }

  /** A value that is new in each request: callers may give it; otherwise it is generated. */
  #generatedArgument(name: string, template: string, marked: string): string {
    const isQuoted = this.#group.some(({ body: { text = '' } = {} }) =>
      text
        .split(`${JSON.stringify(name)}`)
        .some((after) => /^\s*:\s*"/.test(after) && after.includes(`"${marked}"`)),
    )
    const isNumber = /^\{\{(timestamp|randomInt)[^}]*\}\}$/.test(template) && !isQuoted
    const made = { type: isNumber ? 'integer' : 'string', description: 'Generated for each call if it is missing.' }
    const argument = this.#add(name, made, false)
    this.generated[argument] = template
    return argument
  }

  /** A value with its original text, so that the same value is sent as it was written. */
  #recordedOf(value: unknown, text: string | undefined): { recorded?: { value: unknown; text: string } } {
    return !this.#keepsValues ||
      value === undefined ||
      text === undefined ||
      hasVariable(value) ||
      hasVariable(text)
      ? {}
      : { recorded: { value, text } }
  }

  /** The argument, and the value that is sent if it is missing. */
  #from(argument: string): { argument: string; otherwise?: unknown } {
    return { argument, ...(this.#defaults.has(argument) ? { otherwise: this.#defaults.get(argument) } : {}) }
  }

  #add(wanted: string, schema: JsonSchema, isRequired: boolean): string {
    const clean =
      wanted
        .replace(/[^A-Za-z0-9_.-]+/g, '_')
        .replace(/^_+|_+$/g, '')
        .slice(0, 60) || 'value'
    const name = uniqueIn(clean, new Set(Object.keys(this.#properties)))
    this.#properties[name] = schema
    if (isRequired) this.#required.push(name)
    return name
  }
}

const known = (values: Occurrences): unknown[] => values.filter((value) => value !== undefined)
const hasVariable = (value: unknown): boolean =>
  new RegExp(variableMarks.source).test(JSON.stringify(value ?? null))

/** `/hives/ML-04` → `hive`, `/batches/7` → `batch_id`. */
function nameAfter(before: string | undefined, texts: readonly string[]): string {
  const word = (before ?? '').replace(/[^A-Za-z0-9]+/g, '_').toLowerCase()
  if (word === '' || /^v\d/.test(word)) return 'id'
  const single = word
    .replace(/ies$/, 'y')
    .replace(/(x|ch|sh|ss)es$/, '$1')
    .replace(/([^s])s$/, '$1')
  return texts.every((text) => /^\d+$|^[0-9a-f-]{16,}$/i.test(text)) ? `${single}_id` : single
}

function uniqueIn(wanted: string, taken: ReadonlySet<string>): string {
  let name = wanted
  for (let count = 2; taken.has(name); count++) name = `${wanted}_${count}`
  return name
}
