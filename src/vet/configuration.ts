import { readFile } from 'node:fs/promises'
import { dirname, join, resolve } from 'node:path'
import { problems } from '../errors.js'
import { isObject } from '../protocol/messages.js'
import { type Severity, severities } from './finding.js'

/** What a project says of a rule, with the reason that it has to give. */
export interface RuleChoice {
  rule: string
  /** `off`, or the severity that it has here. */
  as: 'off' | Severity
  because: string
}

/**
 * Reads `jexo.vet` of the nearest package.json: `{ "name-dashes": { "as": "off", "because": "our host takes them" } }`. Rejects with a
 * `JexoError` where a rule is unknown or a reason is missing.
 */
export async function readChoices(folder: string, known: ReadonlySet<string>): Promise<RuleChoice[]> {
  const file = await nearest(folder)
  if (!file) return []
  const manifest: unknown = JSON.parse(await readFile(file, 'utf8'))
  const settings = isObject(manifest) && isObject(manifest.jexo) ? manifest.jexo.vet : undefined
  if (settings === undefined) return []
  if (!isObject(settings)) throw problems.vetSettings(file, '"jexo.vet" is not a map of rules')
  return Object.entries(settings).map(([rule, choice]) => {
    if (!known.has(rule)) throw problems.vetSettings(file, `there is no rule "${rule}"`)
    const { as, because } = isObject(choice) ? choice : {}
    const chosen = (['off', ...severities] as const).find((name) => name === as)
    if (!chosen) throw problems.vetSettings(file, `"${rule}" is to be as off, error, warning or note`)
    if (typeof because !== 'string' || because.trim() === '')
      throw problems.vetSettings(file, `"${rule}" needs a reason in "because"`)
    return { rule, as: chosen, because }
  })
}

async function nearest(folder: string): Promise<string | undefined> {
  for (let at = resolve(folder); ; at = dirname(at)) {
    const file = join(at, 'package.json')
    const isThere = await readFile(file).then(
      () => true,
      () => false,
    )
    if (isThere) return file
    if (at === dirname(at)) return undefined
  }
}
