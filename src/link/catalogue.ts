import type { PromptDefinition, ResourceDefinition, TemplateDefinition, ToolDefinition } from '../protocol/types.js'
import type { Link } from './link.js'

/** All parts that a server offers. */
export interface Catalogue {
  tools: ToolDefinition[]
  resources: ResourceDefinition[]
  templates: TemplateDefinition[]
  prompts: PromptDefinition[]
}

/** Reads all four lists of a server completely. */
export async function readCatalogue(link: Link): Promise<Catalogue> {
  const [tools, resources, templates, prompts] = await Promise.all([
    link.tools(),
    link.resources(),
    link.templates(),
    link.prompts(),
  ])
  return { tools, resources, templates, prompts }
}
