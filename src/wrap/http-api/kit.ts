import { keyText, lineComment, literal, textLiteral } from '../../escape/typescript.js'
import { kitWriterErrors } from '../kit-writer/errors.js'
import {
  fingerprint,
  kitNameOf,
  markIn,
  movedOn,
  pathFrom,
  type WrittenMark,
  writeMarked,
} from '../kit-writer/written-kit.js'
import { inputOf, outputOf } from './carry-out.js'
import type { PlannedOperation, RestPlan } from './operation.js'
import { placeOf } from './place.js'

export interface RestKitOptions {
  /** Absolute path, or a URL. */
  readonly source: string
  /** What was asked for, as it stands in the kit. */
  readonly options: Readonly<Record<string, unknown>>
  readonly isForced: boolean
}

/**
 * Writes a kit file that wraps an API: it names the operations that are taken, so that none is added unseen when the description grows.
 * Throws a `JexoError` if that would lose what somebody has written.
 */
export function writeRestKit(plan: RestPlan, outFile: string, given: RestKitOptions): void {
  if (plan.operations.length === 0) throw kitWriterErrors.wrapTakesNothing(given.source, '')
  writeMarked(outFile, kitText(plan, outFile, given), markOf(plan, outFile, given), given.isForced)
}

/** What has changed since a kit was written: lines with `+`, `-` and `~`; `plan` is of the options in its mark. */
export function checkRestKit(
  outFile: string,
  planFor: (options: Readonly<Record<string, unknown>>) => Promise<RestPlan>,
): Promise<readonly string[]> {
  const written = markIn(outFile)
  return planFor(written.options).then((plan) => {
    const byName = new Map(plan.operations.map((operation) => [operation.name, operation]))
    return movedOn(written.tools, fingerprintsOf(plan)).map(({ tool, how }) => {
      const operation = byName.get(tool)
      if (how === 'gone' || !operation) return `- ${tool}`
      if (how === 'new') return `+ ${signatureOf(operation)}`
      const old = written.tools[tool]?.split('.') ?? []
      const parts = fingerprintOf(plan, operation).split('.')
      const what = ['description', 'arguments', 'answer'].filter((_name, at) => old[at] !== parts[at])
      return `~ ${signatureOf(operation)}   (${what.join(', ')})`
    })
  })
}

/** `get_hive(hive, most?)`. */
export function signatureOf({ name, input }: PlannedOperation): string {
  const required = (input.required ?? []) as readonly string[]
  const names = Object.keys((input.properties ?? {}) as object)
  return `${name}(${names.map((argument) => (required.includes(argument) ? argument : `${argument}?`)).join(', ')})`
}

const fingerprintOf = (plan: RestPlan, operation: PlannedOperation): string => {
  const { about, title, effect, method, path, parameters, body } = operation
  return [
    [about, title, effect],
    [method, path, parameters, body, inputOf(plan, operation)],
    [outputOf(plan, operation)],
  ]
    .map(fingerprint)
    .join('.')
}
const fingerprintsOf = (plan: RestPlan) =>
  Object.fromEntries(plan.operations.map((operation) => [operation.name, fingerprintOf(plan, operation)]))

const markOf = (plan: RestPlan, outFile: string, { source, options }: RestKitOptions): WrittenMark => ({
  kind: plan.kind,
  source: isRemote(source) ? source : pathFrom(outFile, source),
  options: withPaths(options, outFile),
  tools: fingerprintsOf(plan),
})

/** Files are named by where they are from the kit. */
function withPaths(options: Readonly<Record<string, unknown>>, outFile: string): Readonly<Record<string, unknown>> {
  const { operations } = options
  return Array.isArray(operations)
    ? { ...options, operations: operations.map((file) => pathFrom(outFile, String(file))) }
    : options
}

const isRemote = (source: string) => /^https?:/.test(source)

function kitText(plan: RestPlan, outFile: string, { source, options }: RestKitOptions): string {
  const wrap = { openapi: 'wrapOpenApi', curl: 'wrapCurl', graphql: 'wrapGraphql' }[plan.kind]
  const place = isRemote(source)
    ? textLiteral(source)
    : `new URL(${textLiteral(pathFrom(outFile, source))}, import.meta.url)`
  const settings = [
    plan.base.setting,
    ...plan.credentials
      .flatMap(Object.entries)
      .flatMap(([key, value]) => (/setting$/i.test(key) ? [String(value)] : [])),
  ]
  return [
    `import { defineKit } from 'jexo'\n`,
    `import { ${wrap} } from 'jexo/${plan.kind}'\n\n`,
    `${lineComment(`Settings, from the environment: ${[...new Set(settings)].join(', ')}`)}\n`,
    `const parts = await ${wrap}(${place}, {\n${optionLines(plan, options, outFile).join('')}})\n\n`,
    'export default defineKit({\n',
    `  name: ${textLiteral(kitNameOf(outFile))},\n`,
    `  version: '1.0.0',\n`,
    `  about: ${textLiteral(`${plan.title}.`.replace(/\.\.$/, '.'))},\n`,
    '  parts,\n',
    '})\n',
  ].join('')
}

/** A kit of single tools names each; a catalogue keeps to what was asked for. */
function optionLines(plan: RestPlan, options: Readonly<Record<string, unknown>>, outFile: string): string[] {
  const { only: _only, except: _except, writes: _writes, catalogue: _catalogue, ...others } = options
  const rest = Object.entries(plan.form === 'tools' ? others : { ...options, catalogue: true })
  const literalOf = (name: string, value: unknown) => {
    if (name === 'operations')
      return `[${(value as string[]).map((file) => `new URL(${textLiteral(pathFrom(outFile, file))}, import.meta.url)`).join(', ')}]`
    return literal(value, 2, name.length + 2)
  }
  const kept = rest.map(([name, value]) => `  ${keyText(name)}: ${literalOf(name, value)},\n`)
  if (plan.form === 'catalogue') return kept
  const names = plan.operations.map(
    (operation) => `    ${textLiteral(operation.name)}, ${lineComment(placeOf(operation))}\n`,
  )
  const manyTools = plan.operations.length > 40 ? ['  catalogue: false,\n'] : []
  return ['  only: [\n', ...names, '  ],\n', ...manyTools, ...kept]
}
