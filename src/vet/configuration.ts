import { readFile } from 'node:fs/promises'
import { dirname, join, resolve } from 'node:path'
import { isObject } from '../protocol/messages.js'
import { vetErrors } from './errors.js'
import { type Severity, severities } from './finding.js'

/** A project's setting for a rule, with a required reason. */
export interface RuleChoice {
  rule: string
  /** `off`, or the severity in this project. */
  as: 'off' | Severity
  reason: string
  /** Parts that it applies to, as findings name them: `tool ask_ledger`. Default: all. */
  parts?: readonly string[]
}

/**
 * Reads `jexo.vet` of the nearest package.json: `{ "name-dashes": { "as": "off", "reason": "our host takes them" } }`;
 * with `"parts": ["tool ask_ledger"]`, only for these parts. Rejects with a `JexoError` if a rule is unknown or a
 * reason is missing.
 */
export async function readChoices(folder: string, known: ReadonlySet<string>): Promise<RuleChoice[]> {
  const file = await nearest(folder)
  if (!file) return []
  const manifest: unknown = JSON.parse(await readFile(file, 'utf8'))
  const settings = isObject(manifest) && isObject(manifest.jexo) ? manifest.jexo.vet : undefined
  if (settings === undefined) return []
  if (!isObject(settings)) throw vetErrors.vetSettings(file, '"jexo.vet" is not a map of rules')
  return Object.entries(settings).map(([rule, choice]) => {
    if (!known.has(rule)) throw vetErrors.vetSettings(file, `there is no rule "${rule}"`)
    const { as, reason, parts } = isObject(choice) ? choice : {}
    const chosen = (['off', ...severities] as const).find((name) => name === as)
    if (!chosen) throw vetErrors.vetSettings(file, `"${rule}" must have "as": off, error, warning or note`)
    if (typeof reason !== 'string' || reason.trim() === '')
      throw vetErrors.vetSettings(file, `"${rule}" needs a "reason"`)
    if (parts !== undefined && !(Array.isArray(parts) && parts.every((part) => typeof part === 'string')))
      throw vetErrors.vetSettings(
        file,
        `the "parts" of "${rule}" must be a list of names, such as "tool ask_ledger"`,
      )
    return { rule, as: chosen, reason, ...(parts === undefined ? {} : { parts: parts as string[] }) }
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
