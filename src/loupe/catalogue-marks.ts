import type { Catalogue } from '../link/catalogue.js'

/** A part that has changed since the previous connection. */
export interface PartMark {
  mark: 'new' | 'changed' | 'gone'
  /** Names of the changed fields: `description`, `inputSchema`. */
  fields: readonly string[]
}

/** Parts by their keys, such as `tool weigh_hive`. */
export function keyedParts(catalogue: Catalogue): Map<string, Readonly<Record<string, unknown>>> {
  const { tools, resources, templates, prompts } = catalogue
  return new Map<string, object>([
    ...tools.map((part) => [`tool ${part.name}`, part] as const),
    ...resources.map((part) => [`resource ${part.uri}`, part] as const),
    ...templates.map((part) => [`template ${part.uriTemplate}`, part] as const),
    ...prompts.map((part) => [`prompt ${part.name}`, part] as const),
  ]) as Map<string, Readonly<Record<string, unknown>>>
}

/** Added, changed and removed parts. */
export function marksBetween(before: Catalogue, after: Catalogue): Record<string, PartMark> {
  const old = keyedParts(before)
  const now = keyedParts(after)
  const marks: Record<string, PartMark> = {}
  for (const [key, part] of now) {
    const was = old.get(key)
    if (!was) marks[key] = { mark: 'new', fields: [] }
    else if (JSON.stringify(was) !== JSON.stringify(part)) {
      const names = new Set([...Object.keys(was), ...Object.keys(part)])
      const fields = [...names].filter((name) => JSON.stringify(was[name]) !== JSON.stringify(part[name]))
      if (fields.length > 0) marks[key] = { mark: 'changed', fields }
    }
  }
  for (const key of old.keys()) if (!now.has(key)) marks[key] = { mark: 'gone', fields: [] }
  return marks
}

/** Marks in a sentence: `new tool late_tool; changed tool weigh_hive (description)`. */
export function marksText(marks: Readonly<Record<string, PartMark>>): string {
  const all = Object.entries(marks)
  const shown = all
    .slice(0, 8)
    .map(([key, { mark, fields }]) => `${mark} ${key}${fields.length > 0 ? ` (${fields.join(', ')})` : ''}`)
  return [...shown, ...(all.length > 8 ? [`and ${all.length - 8} more`] : [])].join('; ')
}

/** The definitions of parts that are marked as gone. */
export function goneOf(before: Catalogue, marks: Readonly<Record<string, PartMark>>): Catalogue {
  const isGone = (key: string) => marks[key]?.mark === 'gone'
  return {
    tools: before.tools.filter(({ name }) => isGone(`tool ${name}`)),
    resources: before.resources.filter(({ uri }) => isGone(`resource ${uri}`)),
    templates: before.templates.filter(({ uriTemplate }) => isGone(`template ${uriTemplate}`)),
    prompts: before.prompts.filter(({ name }) => isGone(`prompt ${name}`)),
  }
}
