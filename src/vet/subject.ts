import { isObject, type JsonObject } from '../protocol/messages.js'
import type { ToolDefinition } from '../protocol/types.js'
import { issuesOf } from './schema-issues.js'
import type { Snapshot } from './snapshot.js'
import type { Called, Subject } from './wire/requirement.js'

/** Finds parts for the wire checks: read-only tools that are called with their examples or without arguments. */
export async function subjectOf({ tools, resources, filled }: Snapshot): Promise<Subject> {
  const readable: { tool: ToolDefinition; called: Called }[] = []
  for (const tool of tools) {
    const args = tool.annotations?.readOnlyHint === true ? await argumentsFor(tool.inputSchema) : undefined
    if (args) readable.push({ tool, called: { name: tool.name, arguments: args } })
  }
  const supportOf = ({ execution }: ToolDefinition) => execution?.taskSupport ?? 'forbidden'
  const hasTasks = tools.some((tool) => supportOf(tool) !== 'forbidden')
  const asTask = readable.find(({ tool }) => supportOf(tool) !== 'forbidden')
  const taskOnly = readable.find(({ tool }) => supportOf(tool) === 'required')
  // Tools that only run as tasks are not called directly.
  const plain = readable.filter(({ tool }) => supportOf(tool) !== 'required')
  const free = readable.find(({ tool }) => supportOf(tool) === 'forbidden')
  const typed = plain.flatMap(({ tool, called }) => wrongFor(tool, called))
  const structured = plain.find(({ tool }) => tool.outputSchema !== undefined)
  const [resource] = resources
  return {
    ...(typed[0] ? { tool: typed[0] } : {}),
    ...(structured ? { structuredTool: structured.called } : {}),
    ...(asTask ? { taskTool: asTask.called } : {}),
    ...(taskOnly ? { taskOnlyTool: taskOnly.called } : {}),
    ...(hasTasks && free ? { taskFreeTool: free.called } : {}),
    ...(hasTasks ? {} : { taskFree: true }),
    ...(resource ? { resource: { uri: resource.uri } } : {}),
    ...(filled ? { prompt: filled } : {}),
  }
}

async function argumentsFor(schema: JsonObject): Promise<JsonObject | undefined> {
  const [example] = Array.isArray(schema.examples) ? schema.examples : []
  if (isObject(example)) return (await issuesOf(schema, example)).length === 0 ? example : undefined
  return Array.isArray(schema.required) && schema.required.length > 0 ? undefined : {}
}

/** An argument whose type does not match the schema. */
function wrongFor({ inputSchema }: ToolDefinition, called: Called): NonNullable<Subject['tool']>[] {
  const properties = isObject(inputSchema.properties) ? inputSchema.properties : {}
  for (const [field, schema] of Object.entries(properties)) {
    const type = isObject(schema) ? schema.type : undefined
    if (type === 'string' || type === 'number' || type === 'integer' || type === 'boolean')
      return [{ ...called, wrong: { ...called.arguments, [field]: { not: 'this' } }, field }]
  }
  return []
}
