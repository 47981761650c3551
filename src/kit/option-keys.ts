import { closestTo } from './closest.js'
import { kitErrors } from './errors.js'

/** Options of every part. */
export const extraKeys = [
  'title',
  'icons',
  'tags',
  'settings',
  'meta',
  'source',
  'scopes',
  'visibleTo',
  'layers',
] as const

/** Common wrong names of options, with the right ones. */
const otherWords: Readonly<Record<string, string>> = {
  ...{
    description: 'about',
    desc: 'about',
    summary: 'about',
    inputSchema: 'input',
    parameters: 'input',
    args: 'input',
  },
  ...{
    arguments: 'input',
    schema: 'input',
    outputSchema: 'output',
    handler: 'run',
    execute: 'run',
    call: 'run',
    fn: 'run',
  },
  ...{
    annotations: 'effect',
    tools: 'parts',
    resources: 'parts',
    prompts: 'parts',
    completions: 'complete',
    mime: 'mimeType',
  },
}

/** Refuses unknown options, which would otherwise be ignored. Throws a `JexoError` that names the right option. */
export function checkKeys(label: string, options: object, known: readonly string[]): void {
  if (typeof options !== 'object' || options === null) throw kitErrors.optionsMissing(label)
  for (const [key, value] of Object.entries(options)) {
    if (value === undefined || known.includes(key)) continue
    const meant = Object.hasOwn(otherWords, key) ? otherWords[key] : undefined
    const closest = meant !== undefined && known.includes(meant) ? [meant] : closestTo(key, known, 1)
    throw kitErrors.optionUnknown(label, key, closest[0], known)
  }
}
