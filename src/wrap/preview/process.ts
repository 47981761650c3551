import { moduleErrors } from '../module/errors.js'
import { processKitOf } from '../process/kit.js'
import { type ProcessCommand, planProcess } from '../process/wrap-process.js'
import type { Preview, SourceOptions } from './preview.js'
import { writing } from './writing.js'

/** A program that describes itself; it is started to read its description, and then ended. */
export async function previewProcess(
  source: string,
  options: SourceOptions,
  command: ProcessCommand | undefined,
): Promise<Preview> {
  if (command === undefined) throw moduleErrors.sourceMissing(source)
  const plan = await planProcess(command, options)
  return { form: 'process', plan, ...writing(processKitOf(plan, source, command, options)) }
}
