import { resolve, sep } from 'node:path'
import { textLiteral } from '../../escape/typescript.js'
import { type KitEntry, writeKitFile } from '../kit-writer/kit-section.js'
import { signatureText } from '../kit-writer/signature.js'
import { type WrapKit, wrapKitEntry } from '../kit-writer/wrap-kit.js'
import {
  changesSince,
  fingerprintOfParts,
  kitNameOf,
  optionsOfKit,
  pathFrom,
  type WrittenMark,
} from '../kit-writer/written-kit.js'
import { moduleErrors } from './errors.js'
import { moduleSection } from './kit-text.js'
import { packageSpecifier } from './package-entry.js'
import type { ModulePlan, ModulePlanOptions, PlannedTool } from './plan.js'
import { allowsSourceEndings } from './program.js'
import { planModule } from './wrap-module.js'

export interface WriteKitOptions extends Omit<ModulePlanOptions, 'toolName'> {
  /** Exported classes that the kit instantiates. */
  instances?: readonly string[]
  /** Overwrites a kit that was edited. */
  isForced?: boolean
}
/** Result of checking a written kit: added, removed and changed tools. */
export interface KitCheck {
  readonly differences: readonly string[]
}

/** Writes a kit file for a module. Throws a `JexoError` if that would overwrite edits. */
export async function writeKit(
  source: string,
  outFile: string,
  options: WriteKitOptions = {},
): Promise<ModulePlan> {
  const { isForced = false, instances = [], ...planOptions } = options
  const plan = await planModule(source, planOptions, instances)
  writePlannedKit(plan, source, outFile, { ...planOptions, instances }, isForced)
  return plan
}

/** Writes a kit file for a plan that was made with these options. Throws like {@link writeKit}. */
function writePlannedKit(
  plan: ModulePlan,
  source: string,
  outFile: string,
  options: Readonly<Record<string, unknown>>,
  isForced: boolean,
): void {
  if (plan.tools.length === 0)
    throw moduleErrors.wrapNothingLeft(
      source,
      plan.skipped.map(({ name, reason }) => `${name} (${reason})`),
    )
  writeKitFile(outFile, kitNameOf(outFile), [moduleEntry(plan, source, options)], isForced)
}

/** A module as written into a kit file; `name` is the variable for the module. */
export function moduleEntry(
  plan: ModulePlan,
  source: string,
  options: Readonly<Record<string, unknown>>,
  name?: string,
): KitEntry {
  if (plan.form === 'catalogue') return wrapKitEntry(catalogueKitOf(plan, source, options), name)
  return {
    section: (outFile, names) => {
      const specifier = specifierOf(source, resolve(outFile))
      return moduleSection(plan, { name: name ?? kitNameOf(outFile), specifier, names })
    },
    mark: (outFile) => ({
      kind: 'module',
      source: markedSource(source, outFile),
      options,
      tools: fingerprintsOf(plan),
    }),
  }
}

/** The name of a module in a mark: its path relative to the kit file, or its package. */
const markedSource = (source: string, outFile: string): string =>
  source.includes(`${sep}node_modules${sep}`) ? packageSpecifier(source) : pathFrom(resolve(outFile), source)

/** A catalogue of three tools is created from the source when the kit is loaded, regardless of the number of functions. */
function catalogueKitOf(plan: ModulePlan, source: string, given: Readonly<Record<string, unknown>>): WrapKit {
  const { instances: _, ...options } = given
  const isPackaged = source.includes(`${sep}node_modules${sep}`)
  return {
    kind: 'module',
    source,
    ...(isPackaged ? { sourceText: `import.meta.resolve(${textLiteral(packageSpecifier(source))})` } : {}),
    options: { ...options, catalogue: true },
    about: `Functions of ${plan.title}.`,
    settings: [],
    tools: fingerprintsOf(plan),
  }
}

/** Compares a written kit with the current source. Throws a `JexoError` if the file was not written by `writeKit`. */
export async function checkKit(source: string, outFile: string): Promise<KitCheck> {
  const { instances = [], ...options } = optionsOfKit(outFile, { kind: 'module', source }) as Omit<
    WriteKitOptions,
    'isForced'
  >
  return { differences: moduleChangesSince(outFile, source, await planModule(source, options, instances)) }
}

/** The changes of a module since a kit was written; `plan` uses the options stored in the kit. */
export function moduleChangesSince(outFile: string, source: string, plan: ModulePlan): readonly string[] {
  const byName = new Map(plan.tools.map((tool) => [tool.name, tool]))
  const signature = (name: string) => {
    const tool = byName.get(name)
    return tool === undefined ? name : signatureOf(tool)
  }
  return changesSince(outFile, { kind: 'module', source }, fingerprintsOf(plan), signature, [
    'description',
    'arguments',
    'result',
  ])
}

export function signatureOf({ name, input, result }: PlannedTool): string {
  const returned = { object: 'object', value: 'value', nothing: 'nothing', any: 'anything' }[result.form]
  return `${signatureText(name, input)} → ${returned}`
}

const fingerprintsOf = ({ tools }: ModulePlan): WrittenMark['tools'] =>
  Object.fromEntries(
    tools.map(({ name, about, title, effect, examples, path, parameters, input, result }) => [
      name,
      fingerprintOfParts([
        [about, title, effect, examples],
        [path, parameters, input],
        [result.form, result.schema, result.conversion, result.isStream],
      ]),
    ]),
  )

/** The import specifier for the module: its relative path, or the name of its package. */
function specifierOf(source: string, out: string): string {
  if (source.includes(`${sep}node_modules${sep}`)) return packageSpecifier(source)
  const path = pathFrom(out, source)
  // The compiler accepts a `.ts` extension only if the project allows it; Jexo accepts both forms.
  return allowsSourceEndings(out) ? path : path.replace(/\.(m?)tsx?$/, '.$1js')
}
