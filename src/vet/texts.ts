import { isObject } from '../protocol/messages.js'
import { inPrompt, inTool, type Snapshot, schemasIn } from './snapshot.js'

/** All texts that a model or a host reads, with their locations. */
export function textsOf({
  tools,
  prompts,
  resources,
  templates,
  instructions,
}: Snapshot): { where: string; text: string }[] {
  const found: { where: string; text: string }[] = []
  const add = (where: string, ...texts: unknown[]) => {
    for (const text of texts) if (typeof text === 'string' && text !== '') found.push({ where, text })
  }
  add('server, instructions', instructions)
  for (const tool of tools) {
    add(inTool(tool), tool.name, tool.title, tool.description)
    for (const { schema, path } of schemasIn(tool.inputSchema)) {
      const where = path === '' ? inTool(tool) : `${inTool(tool)}, input ${path.replaceAll('properties.', '')}`
      add(
        where,
        schema.title,
        schema.description,
        ...plainTexts(schema.default),
        ...plainTexts(schema.examples),
        ...plainTexts(schema.enum),
      )
    }
  }
  for (const prompt of prompts) {
    add(inPrompt(prompt), prompt.title, prompt.description)
    for (const { name, description } of prompt.arguments ?? [])
      add(`${inPrompt(prompt)}, argument ${name}`, description)
  }
  for (const { uri, name, title, description } of resources) add(`resource ${uri}`, uri, name, title, description)
  for (const { uriTemplate, name, title, description } of templates)
    add(`template ${uriTemplate}`, name, title, description)
  return found
}

function plainTexts(value: unknown): string[] {
  if (typeof value === 'string') return [value]
  if (Array.isArray(value)) return value.flatMap(plainTexts)
  return isObject(value) ? Object.values(value).flatMap(plainTexts) : []
}
