import { resolve, sep } from 'node:path'
import {
  fingerprint,
  kitNameOf,
  markIn,
  movedOn,
  pathFrom,
  type WrittenMark,
  writeMarked,
} from '../kit-writer/written-kit.js'
import { moduleErrors } from './errors.js'
import { kitText } from './kit-text.js'
import type { ModulePlan, ModulePlanOptions, PlannedTool } from './plan.js'
import { planModule } from './wrap-module.js'

export interface WriteKitOptions extends Omit<ModulePlanOptions, 'toolName'> {
  /** Exported classes that the kit makes an instance of by itself. */
  instances?: readonly string[]
  /** Writes over a kit that was edited since it was written. */
  isForced?: boolean
}
/** What a check of a written kit found: tools that are new, gone or other than when it was written. */
export interface KitCheck {
  readonly differences: readonly string[]
}

/** Writes a kit file for a module. Throws a `JexoError` if that would lose what somebody has written. */
export async function writeKit(source: string, outFile: string, options: WriteKitOptions): Promise<ModulePlan> {
  const out = resolve(outFile)
  const { isForced, instances = [], ...planOptions } = options
  const plan = await planModule(source, planOptions, instances)
  if (plan.tools.length === 0)
    throw moduleErrors.wrapNothingLeft(
      source,
      plan.skipped.map(({ name, reason }) => `${name} (${reason})`),
    )
  const specifier = specifierOf(source, out)
  const mark = markOf(plan, specifier, { ...planOptions, instances })
  writeMarked(outFile, kitText(plan, { name: kitNameOf(out), specifier }), mark, isForced === true)
  return plan
}

/** Compares a written kit with what its source is now. Throws a `JexoError` if the file was not written by `writeKit`. */
export async function checkKit(source: string, outFile: string): Promise<KitCheck> {
  const out = resolve(outFile)
  const written = markIn(outFile)
  const { instances = [], ...options } = written.options as ModulePlanOptions & { instances?: readonly string[] }
  const plan = await planModule(source, options, instances)
  const now = markOf(plan, specifierOf(source, out), written.options)
  const byName = new Map(plan.tools.map((tool) => [tool.name, tool]))
  const differences = movedOn(written.tools, now.tools).map(({ tool, how }) => {
    const planned = byName.get(tool)
    const before = written.tools[tool] ?? ''
    return how === 'gone' || !planned
      ? `- ${tool}`
      : how === 'new'
        ? `+ ${signatureOf(planned)}`
        : changed(planned, before)
  })
  return { differences }
}

/** Which of the three things that a tool is known by has moved on; a fingerprint has one part for each. */
function changed(tool: PlannedTool, before: string): string {
  const old = before.split('.')
  const parts = fingerprintOf(tool).split('.')
  const names = ['description', 'arguments', 'result'].filter((_name, at) => old[at] !== parts[at])
  return `~ ${signatureOf(tool)}   (${names.join(', ')})`
}

export function signatureOf({ name, input, result }: PlannedTool): string {
  const required = (input.required ?? []) as readonly string[]
  const names = Object.keys((input.properties ?? {}) as object)
  const given = names.map((argument) => (required.includes(argument) ? argument : `${argument}?`)).join(', ')
  const gives = { object: 'object', value: 'value', nothing: 'nothing', any: 'anything' }[result.form]
  return `${name}(${given}) → ${gives}`
}

const fingerprintOf = ({ about, title, effect, examples, path, parameters, input, result }: PlannedTool): string =>
  [
    [about, title, effect, examples],
    [path, parameters, input],
    [result.form, result.schema, result.conversion, result.isStream],
  ]
    .map(fingerprint)
    .join('.')

const markOf = (plan: ModulePlan, source: string, options: Readonly<Record<string, unknown>>): WrittenMark => ({
  kind: 'module',
  source,
  options,
  tools: Object.fromEntries(plan.tools.map((tool) => [tool.name, fingerprintOf(tool)])),
})

/** How the kit file imports the module: by its path from there, or by the name of its package. */
function specifierOf(source: string, out: string): string {
  const inside = source.split(`${sep}node_modules${sep}`).at(-1) ?? ''
  if (source.includes(`${sep}node_modules${sep}`)) {
    const parts = inside.split(sep)
    return parts[0]?.startsWith('@') ? parts.slice(0, 2).join('/') : (parts[0] ?? inside)
  }
  return pathFrom(out, source)
}
