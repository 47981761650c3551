import { createHash } from 'node:crypto'
import { existsSync, readFileSync } from 'node:fs'
import { basename } from 'node:path'
import { pathToFileURL } from 'node:url'
import { escapeControls } from '../../escape/terminal.js'
import type { ToolPart } from '../../kit/part.js'
import { type MadeWrap, wrapRegistry } from '../source/registry.js'
import { sourceFile } from '../source/source.js'
import { readModuleCached } from './cache.js'
import { moduleErrors } from './errors.js'
import { type Exports, type Instances, modulePartsOf, valueAt } from './parts.js'
import { type ModulePlan, type ModulePlanOptions, planFunctions } from './plan.js'

export interface WrapModuleOptions extends ModulePlanOptions {
  /** Instances of exported classes, by class name: their public methods become tools. */
  readonly instances?: Instances
}

/**
 * Turns the exported functions of a file into tools: their types become schemas, their doc comments descriptions. The
 * source is a `URL` or an absolute path of a `.ts`, `.mts`, `.tsx` or `.js` file, also one of an installed package.
 * Functions that cannot be tools are left out; `jexo wrap` lists them with reasons. A packed kit needs neither the
 * source nor the compiler.
 *
 * Rejects with a `JexoError` if the file is missing or exports nothing, if an import is missing, or if two functions
 * would get the same name.
 *
 * @example parts: [...await wrapModule(new URL('./colony.ts', import.meta.url), { only: ['winter_*'] })]
 */
export async function wrapModule(source: URL | string, options: WrapModuleOptions = {}): Promise<ToolPart[]> {
  const { instances = {}, ...planOptions } = options
  const file = sourceFile(source)
  const registry = wrapRegistry()
  const key = keyOf(file, options)
  const frozen = registry.frozen[key]
  if (frozen) return modulePartsOf(frozen.plan as ModulePlan, frozen.module ?? {}, instances)
  const plan = await planModule(file, planOptions, Object.keys(instances))
  if (plan.tools.length === 0)
    throw moduleErrors.wrapNothingLeft(
      file,
      plan.skipped.map(({ name, reason }) => `${name} (${reason})`),
    )
  const exports = await load(file)
  registry.onMade?.({ key, plan, modulePath: file } satisfies MadeWrap)
  return modulePartsOf(withFunctions(plan, exports), exports, instances)
}

/** Without tools whose function is missing from the loaded module, whatever its declarations say. */
function withFunctions(plan: ModulePlan, exports: Exports): ModulePlan {
  const isThere = ({ path, instanceOf }: ModulePlan['tools'][number]) =>
    instanceOf !== undefined || typeof valueAt(exports, path) === 'function'
  const missing = plan.tools.filter((tool) => !isThere(tool)).map(({ name }) => name)
  if (missing.length === 0) return plan
  const shown = missing.slice(0, 10).join(', ') + (missing.length > 10 ? ` and ${missing.length - 10} more` : '')
  process.emitWarning(
    escapeControls(
      `${plan.title}: ${shown} left out: the declarations name functions that the module does not have`,
    ),
  )
  return { ...plan, tools: plan.tools.filter(isThere) }
}

/** The plan, without loading the module, as `jexo wrap` shows it. */
export async function planModule(
  file: string,
  options: ModulePlanOptions = {},
  instances: readonly string[] = [],
): Promise<ModulePlan> {
  if (!existsSync(file)) throw moduleErrors.sourceMissing(file)
  const reading = await readModuleCached(file)
  const classes = new Set(reading.functions.map(({ instanceOf }) => instanceOf))
  const unknown = instances.find((name) => !classes.has(name))
  if (unknown !== undefined) throw moduleErrors.wrapInstanceMissing(unknown, file)
  return planFunctions(reading, options, instances)
}

/** If a kit is reloaded, its wrapped modules are reloaded as well. */
async function load(file: string): Promise<Exports> {
  const { generation } = wrapRegistry()
  const url = pathToFileURL(file)
  const isPackage = /[\\/]node_modules[\\/]/.test(file)
  if (generation !== undefined && !isPackage) url.searchParams.set('jexo-load', String(generation))
  const module = await importAt(url, file)
  // If Node could not detect the names of a CommonJS module, they are properties of its default export.
  const whole = module.default
  return typeof whole === 'object' && whole !== null ? { ...(whole as Exports), ...module } : module
}

async function importAt(url: URL, file: string): Promise<Exports> {
  try {
    return (await import(url.href)) as Exports
  } catch (error) {
    const isTypeScript = (error as NodeJS.ErrnoException).code === 'ERR_UNKNOWN_FILE_EXTENSION'
    throw isTypeScript ? moduleErrors.sourceNotLoadable(file) : error
  }
}

/** Key of a plan in a packed file: the source and the options, independent of the file's location. */
function keyOf(file: string, options: WrapModuleOptions): string {
  const content = existsSync(file) ? readFileSync(file) : ''
  const { instances = {}, toolName, ...plain } = options
  const asked = JSON.stringify([plain, Object.keys(instances), toolName ? String(toolName) : ''])
  return createHash('sha256').update(basename(file)).update(content).update(asked).digest('hex').slice(0, 24)
}
