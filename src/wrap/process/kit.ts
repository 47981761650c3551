import { dirname, relative, resolve, sep } from 'node:path'
import { fileURLToPath } from 'node:url'
import { textLiteral } from '../../escape/typescript.js'
import type { WrapKit } from '../kit-writer/wrap-kit.js'
import { fingerprint, pathFrom } from '../kit-writer/written-kit.js'
import type { ProcessPlan, ProcessPlanOptions } from './plan.js'
import type { ProcessCommand } from './wrap-process.js'

/** The kit file of a planned program. */
export function processKitOf(
  plan: ProcessPlan,
  source: string,
  command: ProcessCommand,
  options: ProcessPlanOptions,
): WrapKit {
  return {
    kind: 'process',
    source,
    sourceText: (outFile) => commandText(outFile, command),
    options: { ...options },
    about: plan.about ?? `Functions of ${plan.program}.`,
    settings: [],
    tools: Object.fromEntries(plan.tools.map(({ as, definition }) => [as, fingerprint(definition)])),
  }
}

/** Files and the working folder relative to the kit file. */
function commandText(outFile: string, { command, args = [], cwd }: ProcessCommand): string {
  const urlText = (path: string) =>
    `new URL(${textLiteral(encodeURI(path).replace(/[?#]/g, encodeURIComponent))}, import.meta.url)`
  const folder = relative(dirname(resolve(outFile)), resolve(String(cwd ?? '.')))
  const wordText = (one: string | URL) =>
    one instanceof URL ? urlText(pathFrom(outFile, fileURLToPath(one))) : textLiteral(one)
  const words = args.map(wordText)
  return [
    '{',
    `  command: ${wordText(command)},`,
    ...(words.length === 0 ? [] : [`  args: [${words.join(', ')}],`]),
    `  cwd: ${urlText(folder === '' ? './' : `${folder.split(sep).join('/')}/`)},`,
    '}',
  ].join('\n')
}
