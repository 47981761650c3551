import { uriComponent } from '../../escape/uri.js'
import type { Effect } from '../../kit/effects.js'
import { chooseOperations, effectOfMethod } from '../http-api/choose.js'
import type { PlannedOperation, RestPlan, SkippedOperation } from '../http-api/operation.js'
import { plainText } from '../http-api/plain-text.js'
import type { RestPlanOptions } from '../http-api/plan-options.js'
import { pathName, settingPrefixFrom, uniqueNames } from '../naming/names.js'
import { graphOperation, grouped } from './group.js'
import { type Merged, mergedRequests } from './merge.js'
import { type RecordedRequests, readable, soleVariable } from './recorded.js'
import { SecretReader } from './secrets.js'
import { type TakenBody, takenApart } from './taken-apart.js'

export interface CurlPlanOptions extends RestPlanOptions {
  /** Names of tools, by request (`GET /hives`) or by the name of the request. */
  readonly names?: Readonly<Record<string, string>>
  /** Uses values of a HAR recording as defaults and examples. They are private, so this is off by default. */
  readonly keepValues?: boolean
}

/** The operations that recorded requests amount to. Pure; contains no secret of the source. */
export function planRequests(
  { requests, unread }: RecordedRequests,
  options: CurlPlanOptions = {},
  allowsPaths = false,
): RestPlan {
  const taken = requests.map(takenApart)
  const origin = commonest(taken.map((one) => one.origin))
  const variable = soleVariable(origin)
  const words = hostWords(variable?.replace(/_?(BASE)?_?(URL|HOST|ENDPOINT)$/i, '') ?? origin)
  const settingPrefix = options.settingPrefix ?? settingPrefixFrom(words.join('_'))
  const secrets = new SecretReader(settingPrefix)
  const merged = grouped(taken).map((group) =>
    mergedRequests(group, secrets, { allowsPaths, keepValues: options.keepValues === true }),
  )
  const { prefix = '', names: given = {}, effects = {} } = options
  const { names } = uniqueNames(
    merged,
    (one) => given[`${one.method} ${one.path}`] ?? ownName(one) ?? pathName(one.method, one.path),
  )
  const all = merged.map((operation) => {
    const name = prefix + (names.get(operation) ?? '')
    return { operation, name, effect: effects[name] ?? effectOfMethod[operation.method] ?? 'change' }
  })
  // Each of these requests was written by a person, so HEAD requests are included.
  const reasons = chooseOperations(all, options, false)
  const operations = all
    .filter((one) => !reasons.has(one))
    .map(({ operation, name, effect }) => planned(operation, name, effect, origin, options.tags ?? []))
  const used = new Set(operations.flatMap(({ credentials }) => credentials))
  const skipped: SkippedOperation[] = [
    ...all.flatMap((one) => {
      const reason = reasons.get(one)
      return reason ? [{ name: one.name, where: `${one.operation.method} ${one.operation.path}`, ...reason }] : []
    }),
    ...unread.map(({ where, reason }) => ({ name: where, where, reason, fix: 'fix it there' })),
  ]
  const plan: RestPlan = {
    version: 1,
    kind: 'curl',
    title: variable === undefined ? origin.replace(/^[a-z]+:\/\//, '') || 'the API' : words.join(' '),
    slug: words.join('-'),
    base: {
      setting: variable ?? `${settingPrefix}_URL`,
      url: options.baseUrl ?? (variable === undefined && origin !== '' ? origin : undefined),
    },
    credentials: secrets.credentials.filter(({ name }) => used.has(name)),
    operations,
    skipped,
    warnings: [],
    inputDefinitions: {},
    outputDefinitions: {},
    ...(prefix ? { cataloguePrefix: prefix } : {}),
    form: (options.catalogue ?? operations.length > (options.mostTools ?? 40)) ? 'catalogue' : 'tools',
  }
  return withoutLiterals(plan, secrets.literals)
}

/** The name of one of its requests, or of its GraphQL operation. */
const ownName = ({ requests }: Merged): string | undefined => {
  const name =
    requests.map(({ request }) => request.name).find((one) => one !== undefined) ?? graphName(requests[0]?.body)
  return name
    ?.replace(/([a-z\d])([A-Z])/g, '$1_$2')
    .replace(/[^A-Za-z\d]+/g, '_')
    .toLowerCase()
}

function graphName(body: TakenBody | undefined): string | undefined {
  const named = graphOperation(body)
  return named !== undefined && /^\w{1,64}$/.test(named) ? named : undefined
}

function planned(
  merged: Merged,
  name: string,
  effect: Effect,
  origin: string,
  tags: readonly string[],
): PlannedOperation {
  const { method, path, input, parameters, body, credentials, accept, requests } = merged
  const said = [
    ...new Set(
      requests.flatMap(({ request }) =>
        request.about === undefined ? [] : [plainText(readable(request.about), 300)],
      ),
    ),
  ].filter((text) => text !== '')
  const places = requests.map(({ request }) => request.where)
  const from = `${method} ${path}, as in ${places.slice(0, 3).join(', ')}${places.length > 3 ? ` and ${places.length - 3} more` : ''}.`
  const [first] = said
  return {
    name,
    about:
      first === undefined
        ? from
        : [
            ...said.slice(0, 3).map((text) => (/[.!?]$/.test(text) ? text : `${text}.`)),
            `(${method} ${path})`,
          ].join(' '),
    isDescribed: first !== undefined,
    effect,
    tags,
    method,
    path,
    ...(merged.origin === origin ? {} : { base: merged.origin }),
    input,
    parameters,
    ...(body ? { body } : {}),
    ...(merged.generated ? { generated: merged.generated } : {}),
    response: { form: 'any', accept },
    credentials,
    examples: [],
  }
}

function commonest(texts: readonly string[]): string {
  const counts = new Map<string, number>()
  for (const text of texts) counts.set(text, (counts.get(text) ?? 0) + 1)
  return [...counts].sort((a, b) => b[1] - a[1])[0]?.[0] ?? ''
}

/** `https://api.marshlane.example` → `marshlane`. */
function hostWords(origin: string): string[] {
  const host = origin.replace(/^[a-z]+:\/\//i, '').replace(/:\d+$/, '')
  if (/^([\d.]+|\[.*\]|localhost)$/.test(host) || host === '') return ['api']
  const labels = host.toLowerCase().split('.')
  const own =
    labels.length > 1
      ? labels.slice(0, -1).filter((label) => !/^(api|www|app|v\d+|co|com|org)$/.test(label))
      : labels
  const words = (own.at(-1) ?? labels[0] ?? 'api').split(/[^a-z0-9]+/).filter(Boolean)
  return words.length > 0 ? words.slice(0, 3) : ['api']
}

const spokenKeys = new Set(['about', 'where', 'reason', 'default', 'examples', 'otherwise', 'fixed', 'recorded'])

/** Sentences may contain secrets as well. */
function withoutLiterals(plan: RestPlan, literals: ReadonlySet<string>): RestPlan {
  const forms = [...literals]
    .filter((text) => text.length >= 6)
    .flatMap((text) => [...new Set([text, uriComponent(text)])])
  // Applied only to texts and values; a name or a path with the same letters must not change.
  const masked = (value: unknown, isSpoken: boolean): unknown => {
    if (typeof value === 'string')
      return isSpoken ? forms.reduce((text, form) => text.replaceAll(form, '••••'), value) : value
    if (Array.isArray(value)) return value.map((item) => masked(item, isSpoken))
    if (typeof value !== 'object' || value === null) return value
    return Object.fromEntries(
      Object.entries(value).map(([key, inner]) => [key, masked(inner, isSpoken || spokenKeys.has(key))]),
    )
  }
  return forms.length > 0 ? (masked(plan, false) as RestPlan) : plan
}
