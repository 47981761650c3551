import { messageOf } from '../../errors.js'
import type { Link } from '../../link/link.js'
import { isObject, type JsonObject } from '../../protocol/messages.js'
import type { ContentBlock, ResourceDefinition, ToolDefinition } from '../../protocol/types.js'
import { uiOf, type ViewMeta, viewMetaOf } from '../../protocol/ui.js'

/** A view as a host reads it. */
export interface SeenView {
  uri: string
  /** Names of the tools that use it. */
  tools: readonly string[]
  /** Why it cannot be read. */
  missing?: string
  mimeType?: string | undefined
  html: string
  meta: ViewMeta
  /** True if a second read returned another document. */
  differs: boolean
}

/** Result of a tool with a view for hosts without views. */
export interface SeenResult {
  tool: string
  hasText: boolean
}

const mostViews = 20
const limitMs = 10_000

/** Reads the views of a server twice, and calls each read-only tool with a view once, with its example. */
export async function lookAtViews(
  link: Link,
  tools: readonly ToolDefinition[],
  resources: readonly ResourceDefinition[],
): Promise<{ views: SeenView[]; viewResults: SeenResult[] }> {
  const shows = new Map<string, string[]>()
  for (const { uri } of resources) if (uri.startsWith('ui://')) shows.set(uri, [])
  for (const tool of tools) {
    const named = isObject(tool._meta?.ui) ? tool._meta.ui.resourceUri : undefined
    if (typeof named === 'string') shows.set(named, [...(shows.get(named) ?? []), tool.name])
  }
  const views = await Promise.all([...shows].slice(0, mostViews).map(([uri, names]) => seenView(link, uri, names)))
  const shown = tools.filter((tool) => uiOf(tool).resourceUri !== undefined).slice(0, mostViews)
  const viewResults = await Promise.all(shown.map((tool) => seenResult(link, tool)))
  return { views, viewResults: viewResults.flatMap((result) => result ?? []) }
}

async function seenView(link: Link, uri: string, tools: readonly string[]): Promise<SeenView> {
  const none = { uri, tools, html: '', meta: {}, differs: false }
  try {
    const read = async () => {
      const { contents } = await link.read(uri, { timeoutMs: limitMs })
      return contents.find((one) => one.uri === uri) ?? contents[0]
    }
    const [first, second] = [await read(), await read()]
    if (!first) return { ...none, missing: 'it has no content' }
    const html = documentOf(first)
    return {
      ...{ uri, tools, mimeType: first.mimeType, html, meta: viewMetaOf(first) },
      differs: second !== undefined && documentOf(second) !== html,
    }
  } catch (error) {
    return { ...none, missing: messageOf(error) }
  }
}

const documentOf = ({ text, blob }: { text?: string; blob?: string }) =>
  text ?? Buffer.from(blob ?? '', 'base64').toString()

/** Undefined for a tool that changes something, or without known arguments. */
async function seenResult(link: Link, tool: ToolDefinition): Promise<SeenResult | undefined> {
  const { examples, required } = tool.inputSchema
  const [example] = Array.isArray(examples) ? examples : []
  const args: JsonObject | undefined = isObject(example)
    ? example
    : Array.isArray(required) && required.length > 0
      ? undefined
      : {}
  const isTask = tool.execution?.taskSupport === 'required'
  if (tool.annotations?.readOnlyHint !== true || args === undefined || isTask) return undefined
  try {
    const { content, isError } = await link.call(tool.name, args, { timeoutMs: limitMs })
    return isError === true ? undefined : { tool: tool.name, hasText: content.some(isText) }
  } catch {
    return undefined
  }
}

const isText = (block: ContentBlock): boolean =>
  (block.type === 'text' && block.text.trim() !== '') || (block.type === 'resource' && Boolean(block.resource.text))
