import type { Call } from '../../kit/call.js'
import { compilingValidator } from '../../kit/compiling-validator.js'
import { content } from '../../kit/content.js'
import type { Part } from '../../kit/part.js'
import { Refusal } from '../../kit/refusal.js'
import type { JsonSchema } from '../../kit/schema.js'
import { type Setting, setting } from '../../kit/settings.js'
import { type Shared, shared } from '../../kit/shared.js'
import { template } from '../../kit/template.js'
import { tool } from '../../kit/tool.js'
import type { Validate } from '../../kit/validation.js'
import type { JsonObject } from '../../protocol/messages.js'
import { parseUriTemplate } from '../../protocol/uri-template.js'
import { type CatalogueEntry, catalogueParts } from '../catalogue/catalogue.js'
import { publishedOutput } from '../schema/definitions.js'
import { sourceFile } from '../source/source.js'
import { carriedOut, inputOf, outputOf, type PartsKit } from './carry-out.js'
import { type HeadersGiven, RestClient, type Unpack } from './client.js'
import { settingsOf } from './credentials.js'
import { limitsFor, type RestLimits } from './limits.js'
import type { PlannedOperation, RestPlan } from './operation.js'
import { placeOf } from './place.js'
import type { InProcess } from './sender.js'

/** Options for making requests, for all kinds of sources. */
export interface RestOptions {
  /** The API in this process: no network and no base URL are needed. */
  readonly upstream?: InProcess
  /** Limits; each also has a `JEXO_…` variable. */
  readonly limits?: Partial<RestLimits>
  /** Allowed hosts of redirects, in addition to the API's. */
  readonly allowedHosts?: readonly string[]
  /** Origins that receive the credentials in addition to the API's, for operations with another server. */
  readonly credentialOrigins?: readonly string[]
  /** Allows requests to this machine and its network, even if the base URL is elsewhere. */
  readonly allowPrivateNetwork?: boolean
  /** Folder of files that may be sent, as `URL` or absolute path. Default: files are passed as base64. */
  readonly files?: URL | string
  /** Sent with every request: fixed, or computed from the call, such as the caller's name. */
  readonly headers?: HeadersGiven
  /** Publishes the declared response schemas; a response that does not match is then an error. */
  readonly validateResponses?: boolean
}

/** The options that determine a plan, without those for making requests. */
export function planningOptions<Options extends RestOptions>(options: Options) {
  const {
    upstream: _u,
    headers: _h,
    limits: _l,
    allowedHosts: _a,
    credentialOrigins: _c,
    validateResponses: _s,
    allowPrivateNetwork: _p,
    files,
    ...rest
  } = options
  return { ...rest, allowsPaths: files !== undefined }
}

/** The parts of a plan: a tool or a template for each operation, or the three tools of a catalogue. */
export function restPartsOf(plan: RestPlan, options: RestOptions = {}, kit = partsKitOf(plan, options)): Part[] {
  if (plan.form === 'catalogue') return catalogueOf(plan, kit)
  return plan.operations.map((operation) =>
    operation.asTemplate === undefined
      ? toolOf(plan, operation, kit)
      : templateOf(operation, operation.asTemplate, kit),
  )
}

function catalogueOf(plan: RestPlan, kit: PartsKit): Part[] {
  const entries = plan.operations.map((operation): CatalogueEntry => {
    const { name, title, about, effect, tags, examples, response } = operation
    return {
      ...{ name, title, about, effect, tags, examples, place: placeOf(operation), statuses: response.statuses },
      input: () => inputOf(plan, operation),
      output: () => outputOf(plan, operation),
      run: (args, call) => carriedOut(operation, args, call, kit),
    }
  })
  return catalogueParts(entries, {
    title: plan.title,
    noun: 'operation',
    prefix: plan.cataloguePrefix,
    settings: kit.settings,
  })
}

/** The client of a plan, shared by its parts, and their settings. */
export const partsKitOf = (plan: RestPlan, options: RestOptions, unpack?: Unpack): PartsKit => ({
  client: clientOf(plan, options, unpack),
  settings: Object.freeze({ ...baseSetting(plan, options), ...settingsOf(plan.credentials, plan.title) }),
  isStrict: options.validateResponses === true,
  fits: fitsOf(plan),
})

function clientOf(plan: RestPlan, options: RestOptions, unpack: Unpack | undefined): Shared<RestClient> {
  const {
    limits = {},
    allowedHosts = [],
    credentialOrigins = [],
    allowPrivateNetwork = false,
    files,
    upstream,
    headers,
  } = options
  const client = {
    limits: limitsFor(limits, process.env),
    allowedHosts,
    credentialOrigins: credentialOrigins.map((origin) => new URL(origin).origin),
    allowPrivateNetwork,
    files: files === undefined ? undefined : sourceFile(files),
    upstream,
    headers,
    unpack,
  }
  return shared(
    ({ settings }) => new RestClient(plan, client, settings),
    (opened) => opened.close(),
  )
}

/** Base URL of the API; not required if the API runs in this process. */
function baseSetting({ base, title }: RestPlan, { upstream }: RestOptions): Record<string, Setting> {
  if (upstream) return {}
  const about = `Base URL of ${title}, such as https://api.example${base.path ?? '/v1'}`
  return { [base.setting]: setting({ about, ...(base.url === undefined ? {} : { default: base.url }) }) }
}

function toolOf(plan: RestPlan, operation: PlannedOperation, kit: PartsKit): Part {
  const { name, about, title, tags, effect, examples } = operation
  const output = outputOf(plan, operation)
  return tool(name, {
    about,
    ...(title === undefined ? {} : { title }),
    ...(tags.length > 0 ? { tags } : {}),
    effect,
    examples: examples as readonly { input: object; output?: object }[],
    settings: kit.settings,
    input: inputOf(plan, operation),
    ...(output ? { output: publishedOutput(output, kit.isStrict) } : {}),
    run: ((given: JsonObject, call: Call) => carriedOut(operation, given, call, kit)) as () => never,
  })
}

/** Checks responses against the declared schema, compiled at first use. A schema that cannot be compiled is ignored. */
function fitsOf(plan: RestPlan): PartsKit['fits'] {
  const made = new Map<PlannedOperation, Promise<Validate | undefined>>()
  return (operation) => {
    const known = made.get(operation)
    if (known) return known
    const schema = outputOf(plan, operation)
    const check = schema
      ? Promise.resolve(schema)
          .then((whole) => compilingValidator.prepare(whole))
          .catch(() => undefined)
      : Promise.resolve(undefined)
    made.set(operation, check)
    return check
  }
}

/** A `GET` whose arguments are all in the path, as a resource template. */
function templateOf(operation: PlannedOperation, uriTemplate: string, kit: PartsKit): Part {
  const { name, about, title, tags, input } = operation
  const uris = parseUriTemplate(uriTemplate)
  return template(uriTemplate, {
    name,
    about,
    ...(title === undefined ? {} : { title }),
    ...(tags.length > 0 ? { tags } : {}),
    settings: kit.settings,
    async read(variables, call) {
      const uri = uris.expand(variables)
      const given = Object.fromEntries(
        operation.parameters.flatMap(({ name: variable, argument = '' }) => {
          const text = variables[variable.replace(/[^A-Za-z0-9_]+/g, '_')]
          return text === undefined ? [] : [[argument, typed(text, input, argument)]]
        }),
      )
      const check = await compilingValidator.prepare(input)
      const [issue] = check(given)
      if (issue) throw new Refusal(`${uri} is not valid: ${issue.path.join('.')} ${issue.reason}.`)
      const client = await call.use(kit.client)
      const { body, headers } = await client.fetchResponse(operation, given, call)
      const mimeType = headers.get('content-type')?.split(';')[0]?.trim() ?? 'application/octet-stream'
      const isText = /^text\/|json|xml|yaml|csv/.test(mimeType)
      return content.embed({
        uri,
        mimeType,
        ...(isText ? { text: Buffer.from(body).toString() } : { bytes: body }),
      })
    },
  })
}

/** A variable of a URI, converted to the type of its argument. */
function typed(text: string, input: JsonSchema, name: string): unknown {
  const { type } = (input.properties as Record<string, JsonSchema> | undefined)?.[name] ?? {}
  const isNumeric = (type === 'integer' || type === 'number') && /^-?\d+(\.\d+)?$/.test(text)
  return isNumeric ? Number(text) : type === 'boolean' && /^(true|false)$/.test(text) ? text === 'true' : text
}
