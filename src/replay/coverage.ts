import type { Catalogue } from '../link/catalogue.js'
import { isObject, type JsonObject } from '../protocol/messages.js'
import { parseUriTemplate } from '../protocol/uri-template.js'
import type { StepReport } from './case.js'

/** Parts and inputs that no case covers. */
export interface Coverage {
  /** Number of parts, and the uncovered ones, such as `tool move_hive`. */
  parts: { all: number; without: string[] }
  /** Number of choices in the inputs of covered tools (fields, values, branches), and the uncovered ones. */
  branches: { all: number; without: string[] }
  /** Number of covered tools, and those without a case that expects an error. */
  refusals: { all: number; without: string[] }
}

/** Compares the executed steps with the parts of the server. */
export function coverageOf(catalogue: Catalogue, steps: readonly StepReport[]): Coverage {
  const ran = steps.filter(({ outcome }) => outcome !== undefined)
  const callsOf = (tool: string) => ran.filter(({ step }) => step.call === tool)
  const uris = ran.flatMap(({ step }) => step.read ?? [])
  const prompts = new Set(ran.flatMap(({ step }) => step.fill ?? []))
  const parts: [string, boolean][] = [
    ...catalogue.tools.map(({ name }): [string, boolean] => [`tool ${name}`, callsOf(name).length > 0]),
    // Resources listed by a template are its rows, not separate parts; views are read by hosts.
    ...catalogue.resources
      .filter(({ uri }) => !uri.startsWith('ui://'))
      .filter(({ uri }) => !catalogue.templates.some(({ uriTemplate }) => fits(uriTemplate, uri)))
      .map(({ uri }): [string, boolean] => [`resource ${uri}`, uris.includes(uri)]),
    ...catalogue.templates.map(({ uriTemplate }): [string, boolean] => [
      `template ${uriTemplate}`,
      uris.some((uri) => fits(uriTemplate, uri)),
    ]),
    ...catalogue.prompts.map(({ name }): [string, boolean] => [`prompt ${name}`, prompts.has(name)]),
  ]
  const tried = catalogue.tools.filter(({ name }) => callsOf(name).length > 0)
  const branches = tried.flatMap(({ name, inputSchema }) => {
    const given = callsOf(name).map(({ step }) => step.with ?? {})
    return branchesOf(inputSchema, given, '').map(({ what, isTried }): [string, boolean] => [
      `${name}: ${what}`,
      isTried,
    ])
  })
  const refusals = tried.map(({ name }): [string, boolean] => [
    name,
    callsOf(name).some(({ outcome }) => outcome?.failure !== undefined || outcome?.error !== undefined),
  ])
  return { parts: counted(parts), branches: counted(branches), refusals: counted(refusals) }
}

const counted = (list: readonly [string, boolean][]) => ({
  all: list.length,
  without: list.filter(([, isTried]) => !isTried).map(([name]) => name),
})

function fits(template: string, uri: string): boolean {
  try {
    return parseUriTemplate(template).match(uri) !== undefined
  } catch {
    return false
  }
}

interface Branch {
  what: string
  isTried: boolean
}

/** Alternatives in a schema: optional fields, values of an enum, both booleans, branches of a union. */
function branchesOf(schema: JsonObject, given: readonly unknown[], path: string): Branch[] {
  const found: Branch[] = []
  const values = given.filter((value) => value !== undefined)
  const is = (what: string) => (path === '' ? what : `${path} ${what}`)
  if (Array.isArray(schema.enum) && schema.enum.length <= mostValues)
    for (const choice of schema.enum)
      found.push({ what: is(`= ${JSON.stringify(choice)}`), isTried: values.includes(choice) })
  if (schema.type === 'boolean')
    for (const choice of [true, false]) found.push({ what: is(`= ${choice}`), isTried: values.includes(choice) })
  for (const key of ['anyOf', 'oneOf']) {
    const list = schema[key]
    if (Array.isArray(list))
      for (const [at, branch] of list.entries())
        if (isObject(branch))
          found.push({
            what: is(`as choice ${at + 1} of ${list.length}`),
            isTried: values.some((value) => looksLike(branch, value)),
          })
  }
  if (!isObject(schema.properties)) return found
  const required = Array.isArray(schema.required) ? schema.required : []
  const objects = values.filter(isObject)
  for (const [name, field] of Object.entries(schema.properties)) {
    const inner = path === '' ? name : `${path}.${name}`
    const of = objects.map((value) => value[name])
    if (!required.includes(name)) {
      found.push({ what: `${inner} given`, isTried: of.some((value) => value !== undefined) })
      found.push({ what: `${inner} left out`, isTried: of.some((value) => value === undefined) })
    }
    if (isObject(field)) found.push(...branchesOf(field, of, inner))
  }
  return found
}

/** Longer lists of values count as data, not as choices. */
const mostValues = 12

/** True if a value matches a branch of a union, by its type and by the fields that distinguish branches. */
function looksLike(branch: JsonObject, value: unknown): boolean {
  if ('const' in branch) return branch.const === value
  if (Array.isArray(branch.enum)) return branch.enum.includes(value)
  const type = value === null ? 'null' : Array.isArray(value) ? 'array' : typeof value
  if (typeof branch.type === 'string' && branch.type !== type)
    return branch.type === 'integer' && Number.isInteger(value)
  if (!isObject(value) || !isObject(branch.properties)) return true
  const required = Array.isArray(branch.required) ? branch.required.map(String) : []
  return (
    required.every((name) => name in value) &&
    Object.entries(branch.properties).every(
      ([name, field]) => !isObject(field) || !('const' in field) || field.const === value[name],
    )
  )
}
