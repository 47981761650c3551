import { readModuleCached } from '../module/cache.js'
import { planModule } from '../module/wrap-module.js'
import { moduleChangesSince, moduleEntry } from '../module/write-kit.js'
import type { Preview, SourceOptions } from './preview.js'

/**
 * A written kit creates an instance of each class whose constructor needs no arguments; a catalogue kit creates none.
 */
export async function previewModule(source: string, options: SourceOptions): Promise<Preview> {
  const { instances: given, ...planOptions } = options
  const { makeable } = await readModuleCached(source)
  const instances = (given as readonly string[] | undefined) ?? (options.catalogue ? [] : makeable)
  const plan = await planModule(source, planOptions, instances)
  return {
    form: 'module',
    plan,
    isEmpty: plan.tools.length === 0,
    entry: (variable) => moduleEntry(plan, source, { ...planOptions, instances }, variable),
    changesSince: (outFile) => moduleChangesSince(outFile, source, plan),
  }
}
