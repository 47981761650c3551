import { lineComment, textLiteral } from '../../escape/typescript.js'
import { signatureText } from '../kit-writer/signature.js'
import { optionLine, type WrapKit } from '../kit-writer/wrap-kit.js'
import { changesSince, fingerprintOfParts, type MarkedSource, type WrittenMark } from '../kit-writer/written-kit.js'
import { inputOf, outputOf } from './carry-out.js'
import type { PlannedOperation, RestPlan } from './operation.js'
import { placeOf } from './place.js'

/** More tools than this become a catalogue unless the kit says otherwise. */
const maxToolsByDefault = 40

/**
 * The kit file of a planned API. It lists the included operations, so that new operations of the API do not become
 * tools unnoticed; a catalogue keeps the choice as it was given.
 */
export function restKitOf(
  kind: WrapKit['kind'],
  plan: RestPlan,
  source: string,
  given: Readonly<Record<string, unknown>>,
): WrapKit {
  const { operations, ...options } = given
  return {
    kind,
    source,
    options,
    ...(Array.isArray(operations) ? { files: { operations: operations.map(String) } } : {}),
    optionLines: optionLinesOf(plan, options),
    about: `${plan.title}.`.replace(/\.\.$/, '.'),
    settings: [...new Set([plan.base.setting, ...plan.credentials.flatMap(settingNames)])],
    tools: fingerprintsOf(plan),
  }
}

/** The changes of an API since a kit was written; `plan` uses the options stored in the kit. */
export function restChangesSince(outFile: string, source: MarkedSource, plan: RestPlan): readonly string[] {
  const byName = new Map(plan.operations.map((operation) => [operation.name, operation]))
  const signature = (name: string) => signatureText(name, byName.get(name)?.input ?? {})
  return changesSince(outFile, source, fingerprintsOf(plan), signature, ['description', 'arguments', 'response'])
}

const settingNames = (credential: object): string[] =>
  Object.entries(credential).flatMap(([key, value]) => (/setting$/i.test(key) ? [String(value)] : []))

const fingerprintsOf = (plan: RestPlan): WrittenMark['tools'] =>
  Object.fromEntries(plan.operations.map((operation) => [operation.name, fingerprintOf(plan, operation)]))

function fingerprintOf(plan: RestPlan, operation: PlannedOperation): string {
  const { about, title, effect, method, path, parameters, body } = operation
  return fingerprintOfParts([
    [about, title, effect],
    [method, path, parameters, body, inputOf(plan, operation)],
    [outputOf(plan, operation)],
  ])
}

function optionLinesOf(plan: RestPlan, options: Readonly<Record<string, unknown>>): string[] {
  const linesOf = (some: object) => Object.entries(some).map(([name, value]) => optionLine(name, value))
  if (plan.form === 'catalogue') return linesOf({ ...options, catalogue: true })
  const { only: _only, except: _except, writes: _writes, catalogue: _catalogue, ...others } = options
  const names = plan.operations.map(
    (operation) => `    ${textLiteral(operation.name)}, ${lineComment(placeOf(operation))}\n`,
  )
  const manyTools = plan.operations.length > maxToolsByDefault ? ['  catalogue: false,\n'] : []
  return ['  only: [\n', ...names, '  ],\n', ...manyTools, ...linesOf(others)]
}
