import { isDeepStrictEqual } from 'node:util'
import type { JsonSchema } from '../../kit/schema.js'
import { fileSchema } from '../http-api/files.js'
import type { Generated } from '../http-api/generated.js'
import type { BodyProperty, PlannedBody, PlannedParameter } from '../http-api/operation.js'
import { generatedText } from './dynamic.js'
import { graphOperation } from './group.js'
import { inferTexts, inferValues } from './infer.js'
import { hasVariable, known, MergedArguments, type Occurrences, uniqueIn } from './merged-arguments.js'
import { readable, soleVariable, variableMark } from './recorded.js'
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
    input: merger.arguments.input(),
    parameters: merger.parameters,
    ...(body ? { body } : {}),
    credentials: [...merger.credentials],
    accept,
    requests: group,
    ...(Object.keys(merger.arguments.generated).length > 0 ? { generated: merger.arguments.generated } : {}),
  }
}

export interface MergeOptions {
  /** Arguments may name files of this machine. */
  readonly allowsPaths: boolean
  /** Values of recordings become defaults and examples, as those of documents do. */
  readonly keepValues: boolean
}

class Merger {
  readonly parameters: PlannedParameter[] = []
  readonly credentials = new Set<string>()
  readonly arguments: MergedArguments
  readonly #group: readonly TakenApart[]
  readonly #secrets: SecretReader
  readonly #allowsPaths: boolean

  constructor(group: readonly TakenApart[], secrets: SecretReader, { allowsPaths, keepValues }: MergeOptions) {
    this.#group = group
    this.#secrets = secrets
    this.#allowsPaths = allowsPaths
    this.arguments = new MergedArguments(group, keepValues)
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
          ...this.arguments.from(
            isGenerated
              ? this.arguments.generatedArgument(wanted, String(generated[0]), '')
              : this.arguments.argument(wanted, plain, true),
          ),
          ...this.arguments.recordedOf(first.segments[at]?.text, first.segments[at]?.raw),
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
      const recorded = this.arguments.recordedOf(values[0], given[0]?.map(({ raw }) => raw).join('&'))
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
          this.arguments.keepsValues &&
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
      return { form, mediaType, argument: this.arguments.add('body', fileSchema(this.#allowsPaths), true) }
    if (form === 'text') {
      const texts = this.#group.map(({ body }) => body?.text)
      const { argument, otherwise } = this.arguments.from(this.arguments.argument('body', texts, true))
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
          argument: this.arguments.add(
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
        this.#place(path.length > 1 && this.arguments.has(name) ? path.join('_') : name, typed, shape, (source) =>
          properties.push({ ...source, path, ...type }),
        )
    }
    const pairs = this.#group[0]?.body?.leaves.map((leaf) => [leaf.path[0], leaf.value])
    const whole = form === 'json' ? json : form === 'form' ? pairs : undefined
    const recorded = hasSecret ? {} : this.arguments.recordedOf(whole, text)
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
      this.arguments.keepsValues &&
      values.length > 1 &&
      values.every((value) => isDeepStrictEqual(value, values[0])) &&
      !hasVariable(values[0])
    if (isSame) use({ fixed: values[0] })
    else use(this.arguments.from(this.arguments.argument(name, values, false, schema)))
  }
}

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
