/** Converts definitions, content blocks and results for peers with an older revision, which must not receive newer fields. */
import type { Revision } from './revisions.js'
import type {
  Annotations,
  ContentBlock,
  Implementation,
  PromptDefinition,
  PromptResult,
  ReadResult,
  ResourceContents,
  ResourceDefinition,
  TemplateDefinition,
  ToolDefinition,
  ToolResult,
} from './types.js'

export function implementationFor(revision: Revision, info: Implementation): Implementation {
  if (revision.icons) return info
  const { name, version, title } = info
  return revision.titles && title !== undefined ? { name, version, title } : { name, version }
}

export function toolFor(revision: Revision, tool: ToolDefinition): ToolDefinition {
  const plain = definitionFor(revision, tool)
  if (revision.execution && plain === tool) return tool
  const { annotations, execution, outputSchema, ...rest } = plain
  return {
    ...rest,
    ...(revision.structuredOutput && outputSchema ? { outputSchema } : {}),
    ...(revision.toolAnnotations && annotations ? { annotations } : {}),
    ...(revision.execution && execution ? { execution } : {}),
  }
}

export function resourceFor(revision: Revision, resource: ResourceDefinition): ResourceDefinition {
  return annotatedFor(revision, definitionFor(revision, resource))
}

export function templateFor(revision: Revision, template: TemplateDefinition): TemplateDefinition {
  return annotatedFor(revision, definitionFor(revision, template))
}

export function promptFor(revision: Revision, prompt: PromptDefinition): PromptDefinition {
  const plain = definitionFor(revision, prompt)
  if (revision.titles || !plain.arguments) return plain
  return { ...plain, arguments: plain.arguments.map(({ title: _, ...rest }) => rest) }
}

export function toolResultFor(revision: Revision, result: ToolResult): ToolResult {
  if (revision.titles) return result
  const { structuredContent: _, ...rest } = result
  return { ...rest, content: result.content.map((block) => contentFor(revision, block)) }
}

export function promptResultFor(revision: Revision, result: PromptResult): PromptResult {
  if (revision.titles) return result
  const messages = result.messages.map(({ role, content }) => ({ role, content: contentFor(revision, content) }))
  return { ...result, messages }
}

export function readResultFor(revision: Revision, result: ReadResult): ReadResult {
  if (revision.titles) return result
  return { ...result, contents: result.contents.map(withoutMeta) }
}

/** One content block for a peer. A block that its revision does not know becomes a text that describes it. */
export function contentFor(revision: Revision, block: ContentBlock): ContentBlock {
  if (block.type === 'audio' && !revision.audio) {
    return { type: 'text', text: `[Audio, ${block.mimeType}: this connection cannot carry audio.]` }
  }
  if (block.type === 'resource_link') {
    if (!revision.resourceLink) {
      const title = block.title ?? block.name
      return { type: 'text', text: `${title}: ${block.uri}${block.description ? ` (${block.description})` : ''}` }
    }
    return revision.icons ? block : definitionFor(revision, block)
  }
  if (revision.titles) return block
  const plain = annotatedFor(revision, withoutMeta(block))
  return plain.type === 'resource' ? { ...plain, resource: withoutMeta(plain.resource) } : plain
}

function definitionFor<T extends { icons?: unknown; title?: unknown; _meta?: unknown }>(
  revision: Revision,
  value: T,
): T {
  if (revision.icons) return value
  const { icons: _icons, ...withoutIcons } = value
  if (revision.titles) return withoutIcons as T
  const { title: _title, _meta, ...rest } = withoutIcons
  return rest as T
}

function annotatedFor<T extends { annotations?: Annotations }>(revision: Revision, value: T): T {
  if (revision.titles || value.annotations?.lastModified === undefined) return value
  const { lastModified: _, ...annotations } = value.annotations
  return { ...value, annotations }
}

function withoutMeta<T extends ContentBlock | ResourceContents>(value: T): T {
  if (value._meta === undefined) return value
  const { _meta, ...rest } = value
  return rest as T
}
