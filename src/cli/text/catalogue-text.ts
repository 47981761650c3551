import { type Effect, effectOf } from '../../kit/effects.js'
import { describeSchema } from '../../kit/schema.js'
import type { Catalogue } from '../../link/catalogue.js'
import type { Link } from '../../link/link.js'
import { isObject, type JsonObject } from '../../protocol/messages.js'
import type {
  PromptDefinition,
  ResourceDefinition,
  TemplateDefinition,
  ToolDefinition,
} from '../../protocol/types.js'
import { uiOf } from '../../protocol/ui.js'
import { parseUriTemplate } from '../../protocol/uri-template.js'
import { colours, columns, wrapped } from '../terminal/output.js'

/** The parts of a server as text, grouped by effect, with arguments and descriptions. */
export function catalogueText(link: Link, catalogue: Catalogue, tokens?: number): string {
  const { name, version, title } = link.serverInfo
  const { tools, resources, templates, prompts } = catalogue
  const alone = resources.filter(({ uri }) => !templates.some((item) => matches(item, uri)))
  const sections = [
    `${colours.bold(title ?? name)} ${version}  ${colours.dim(`revision ${link.revision} · ${link.label}`)}`,
    ...(link.instructions === undefined ? [] : [wrap(link.instructions, '')]),
    ...section(
      'tool',
      tools,
      toolsText,
      tokens === undefined ? '' : `about ${tokens.toLocaleString('en')} tokens of context`,
    ),
    ...section('resource', alone, (list) => aligned(list.map((item) => [item.uri, item.description ?? item.name]))),
    ...section('template', templates, (list) => list.map((item) => templateText(item, resources)).join('\n')),
    ...section('prompt', prompts, (list) => list.map(promptText).join('\n')),
  ]
  return sections.join('\n')
}

function section<T>(noun: string, list: readonly T[], text: (list: readonly T[]) => string, fact = ''): string[] {
  if (list.length === 0) return []
  const head = colours.bold(list.length === 1 ? `1 ${noun}` : `${list.length} ${noun}s`)
  return ['', fact ? `${head}  ${colours.dim(fact)}` : head, text(list)]
}

const effectWords: Record<Effect, string> = { read: 'reads', add: 'adds', change: 'changes', remove: 'removes' }
const effectColours: Record<Effect, (text: string) => string> = {
  read: colours.green,
  add: colours.cyan,
  change: colours.yellow,
  remove: colours.red,
}

function toolsText(tools: readonly ToolDefinition[]): string {
  return tools.map(toolText).join('\n')
}

/** Other servers may send anything here. */
function taskWords({ execution }: ToolDefinition): string {
  const support: unknown = execution?.taskSupport
  return support === 'required' ? ', runs as a task' : support === 'optional' ? ', may run as a task' : ''
}

function viewWords(tool: ToolDefinition): string {
  const { resourceUri, isForModel } = uiOf(tool)
  return `${isForModel ? '' : ', for pages only'}${resourceUri === undefined ? '' : `, shown by ${resourceUri}`}`
}

function toolText(tool: ToolDefinition): string {
  const effect = effectOf(tool.annotations)
  const head = `  ${colours.cyan(tool.name)}  ${effectColours[effect](effectWords[effect])}${taskWords(tool)}${viewWords(tool)}`
  const about = wrap(tool.description ?? colours.dim('(no description)'), '    ')
  return [head, about, ...argumentLines(tool.inputSchema), ...outputLine(tool.outputSchema)].join('\n')
}

function argumentLines(schema: JsonObject): string[] {
  const properties = Object.entries(isObject(schema.properties) ? schema.properties : {})
  const required = Array.isArray(schema.required) ? schema.required : []
  const width = Math.max(0, ...properties.map(([name]) => name.length + 1))
  return properties.map(([name, property]) => {
    const details = isObject(property) ? property : {}
    const label = (required.includes(name) ? name : `${name}?`).padEnd(width)
    const about = typeof details.description === 'string' ? `  ${colours.dim(details.description)}` : ''
    const standard =
      details.default === undefined ? '' : colours.dim(`, default ${JSON.stringify(details.default)}`)
    return `      ${label}  ${describeSchema(details)}${standard}${about}`
  })
}

function outputLine(schema: JsonObject | undefined): string[] {
  const properties = schema && propertiesOf(schema, schema.$defs)
  return properties ? [`      ${colours.dim('returns')} ${Object.keys(properties).join(', ')}`] : []
}

/** The properties of an object, or of the schema that it refers to or includes first. */
function propertiesOf(schema: JsonObject, definitions: unknown, depth = 0): JsonObject | undefined {
  if (isObject(schema.properties)) return schema.properties
  const [first] = Array.isArray(schema.anyOf) ? schema.anyOf : []
  const name = typeof schema.$ref === 'string' ? schema.$ref.replace('#/$defs/', '') : undefined
  const next = name !== undefined && isObject(definitions) ? definitions[name] : first
  return isObject(next) && depth < 5 ? propertiesOf(next, definitions, depth + 1) : undefined
}

/** A template and the number of its resources, instead of a line for each of them. */
function templateText(template: TemplateDefinition, resources: readonly ResourceDefinition[]): string {
  const head = aligned([[template.uriTemplate, template.description ?? template.name]])
  const listed = resources.filter(({ uri }) => matches(template, uri)).map(({ uri }) => uri)
  if (listed.length === 0) return head
  const shown = listed.length > 3 ? [listed[0], listed[1], '…', listed.at(-1)] : listed
  return `${head}\n      ${colours.dim(`${listed.length} now:`)} ${shown.join(' ')}`
}

function matches(template: TemplateDefinition, uri: string): boolean {
  try {
    return parseUriTemplate(template.uriTemplate).match(uri) !== undefined
  } catch {
    // Other servers may have templates that cannot be parsed; these match nothing.
    return false
  }
}

function promptText(prompt: PromptDefinition): string {
  const words = (prompt.arguments ?? []).map((argument) =>
    argument.required ? argument.name : `${argument.name}?`,
  )
  return `  ${colours.cyan(prompt.name)}  ${words.join(', ')}\n${wrap(prompt.description ?? '', '    ')}`
}

function aligned(rows: readonly (readonly [string, string])[]): string {
  const width = Math.min(44, Math.max(...rows.map(([key]) => key.length)))
  const indent = ' '.repeat(width + 4)
  return rows
    .map(([key, text]) => `  ${colours.cyan(key.padEnd(width))}  ${wrap(text, indent).trimStart()}`)
    .join('\n')
}

const wrap = (text: string, indent: string): string =>
  wrapped(text.replace(/\s+/g, ' '), columns() - indent.length)
    .map((line) => indent + line)
    .join('\n')
