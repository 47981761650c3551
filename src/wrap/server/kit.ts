import { dirname, relative, resolve, sep } from 'node:path'
import { literal, textLiteral } from '../../escape/typescript.js'
import { optionLine, type WrapKit } from '../kit-writer/wrap-kit.js'
import { fingerprint } from '../kit-writer/written-kit.js'
import { wordText } from '../source/program-words.js'
import { isAddress, type ServerTarget } from './opener.js'
import type { ServerPlan, ServerPlanOptions } from './plan.js'

/** The kit file of a planned server. Headers and variables are not written: they may hold secrets. */
export function serverKitOf(
  plan: ServerPlan,
  source: string,
  target: ServerTarget,
  options: ServerPlanOptions,
): WrapKit {
  const variables = isAddress(target) ? [] : Object.keys(target.env ?? {})
  return {
    kind: 'server',
    source,
    sourceText: (outFile) =>
      isAddress(target) ? textLiteral(withoutSecrets(target)) : commandText(outFile, target),
    options: { ...options },
    optionLines: Object.entries(options).map(([name, value]) => optionLine(name, value)),
    about: plan.instructions ?? `What ${plan.server.title ?? plan.server.name} offers.`,
    settings: variables,
    tools: Object.fromEntries([
      ...plan.tools.map(({ as, definition }) => [as, fingerprint(definition)]),
      ...plan.resources.map((definition) => [definition.uri, fingerprint(definition)]),
      ...plan.templates.map((definition) => [definition.uriTemplate, fingerprint(definition)]),
      ...plan.prompts.map(({ as, definition }) => [`prompt ${as}`, fingerprint(definition)]),
    ]),
  }
}

function withoutSecrets(target: string | URL): string {
  const url = new URL(target)
  url.username = ''
  url.password = ''
  return url.href
}

/** The working folder of the command, relative to the kit file. */
function commandText(outFile: string, { command, args = [], cwd }: Exclude<ServerTarget, string | URL>): string {
  const folder = relative(dirname(resolve(outFile)), resolve(String(cwd ?? '.')))
  const path = folder === '' ? './' : `${folder.split(sep).join('/')}/`
  return [
    '{',
    `  command: ${textLiteral(command)},`,
    ...(args.length === 0 ? [] : [`  args: ${literal(args.map(wordText), 2, 6)},`]),
    `  cwd: new URL(${textLiteral(encodeURI(path).replace(/[?#]/g, encodeURIComponent))}, import.meta.url),`,
    '}',
  ].join('\n')
}
