import type { Link } from '../../link/link.js'
import { isObject } from '../../protocol/messages.js'
import type {
  Implementation,
  PromptDefinition,
  ResourceDefinition,
  TemplateDefinition,
  ToolDefinition,
} from '../../protocol/types.js'

/** The declarations of a server, as plain JSON. */
export interface ServerReading {
  readonly server: Implementation
  readonly instructions?: string
  readonly completes: boolean
  readonly tools: readonly ToolDefinition[]
  readonly resources: readonly ResourceDefinition[]
  readonly templates: readonly TemplateDefinition[]
  readonly prompts: readonly PromptDefinition[]
}

/** Reads all lists of a server. */
export async function readServer(link: Link): Promise<ServerReading> {
  const [tools, resources, templates, prompts] = await Promise.all([
    link.tools(),
    link.resources(),
    link.templates(),
    link.prompts(),
  ])
  const { serverInfo, instructions, capabilities } = link
  return {
    server: serverInfo,
    ...(instructions === undefined ? {} : { instructions }),
    completes: capabilities.completions !== undefined,
    // Entries that are not objects cannot be reported by name.
    ...{
      tools: tools.filter(isObject),
      resources: resources.filter(isObject),
      templates: templates.filter(isObject),
      prompts: prompts.filter(isObject),
    },
  }
}
