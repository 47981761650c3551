import { type Effect, effectOf } from '../../../src/kit/effects.js'
import type {
  PromptDefinition,
  ResourceDefinition,
  TemplateDefinition,
  ToolDefinition,
} from '../../../src/protocol/types.js'
import type { TargetView } from '../api'

/** One thing a target offers, as the desk lists it. */
export type DeskPart = { key: string; target: string; targetName: string; title: string; about: string } & (
  | { kind: 'tool'; effect: Effect; definition: ToolDefinition }
  | { kind: 'resource'; definition: ResourceDefinition }
  | { kind: 'template'; definition: TemplateDefinition }
  | { kind: 'prompt'; definition: PromptDefinition }
)
export interface PartGroup {
  label: string
  parts: DeskPart[]
}

export const effectLabels: Record<Effect, string> = {
  read: 'Reads',
  add: 'Adds',
  change: 'Changes',
  remove: 'Removes',
}

/** Everything all targets offer, grouped by what it does. */
export function groupsOf(targets: readonly TargetView[], search: string): PartGroup[] {
  const all = targets.flatMap(partsOf)
  const words = search.toLowerCase().split(/\s+/).filter(Boolean)
  const found = all.filter((part) => {
    const text = `${part.title} ${part.about} ${part.definition.title ?? ''} ${part.targetName}`.toLowerCase()
    return words.every((word) => text.includes(word))
  })
  const tools = (Object.keys(effectLabels) as Effect[]).map((effect) => ({
    label: effectLabels[effect],
    parts: found.filter((part) => part.kind === 'tool' && part.effect === effect),
  }))
  const others = (
    [
      ['Templates', 'template'],
      ['Prompts', 'prompt'],
      ['Resources', 'resource'],
    ] as const
  ).map(([label, kind]) => ({ label, parts: found.filter((part) => part.kind === kind) }))
  return [...tools, ...others].filter((group) => group.parts.length > 0)
}

function partsOf(target: TargetView): DeskPart[] {
  const { tools, resources, templates, prompts } = target.catalogue
  const base = { target: target.id, targetName: target.name ?? target.label }
  return [
    ...tools.map(
      (definition): DeskPart => ({
        ...base,
        kind: 'tool',
        key: `${target.id} tool ${definition.name}`,
        title: definition.name,
        about: definition.description ?? '',
        effect: effectOf(definition.annotations),
        definition,
      }),
    ),
    ...templates.map(
      (definition): DeskPart => ({
        ...base,
        kind: 'template',
        key: `${target.id} template ${definition.uriTemplate}`,
        title: definition.uriTemplate,
        about: definition.description ?? definition.name,
        definition,
      }),
    ),
    ...prompts.map(
      (definition): DeskPart => ({
        ...base,
        kind: 'prompt',
        key: `${target.id} prompt ${definition.name}`,
        title: definition.name,
        about: definition.description ?? '',
        definition,
      }),
    ),
    ...resources.map(
      (definition): DeskPart => ({
        ...base,
        kind: 'resource',
        key: `${target.id} resource ${definition.uri}`,
        title: definition.uri,
        about: definition.description ?? definition.name,
        definition,
      }),
    ),
  ]
}
