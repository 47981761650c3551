import { type Effect, effectOf } from '../../../src/kit/effects.js'
import type { Catalogue } from '../../../src/link/catalogue.js'
import type { CatalogueView } from '../../../src/loupe/view.js'
import type {
  PromptDefinition,
  ResourceDefinition,
  TemplateDefinition,
  ToolDefinition,
} from '../../../src/protocol/types.js'
import type { PartFinding } from '../../../src/vet/by-part.js'
import type { PartMark } from '../api'
import type { Known } from '../bench/useBench'

/** One part of a target, as the desk lists it. */
export type DeskPart = {
  /** A unique key, which is part of the address: `t1 tool weigh_hive`. */
  key: string
  target: string
  targetName: string
  title: string
  about: string
  /** Its cost in a model's context, in tokens. */
  cost: number | undefined
  mark: PartMark | undefined
  /** Findings of `jexo vet` for it. */
  findings: readonly PartFinding[]
} & (
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

/** All parts of all targets. */
export function allParts({ bench, catalogues, names }: Pick<Known, 'bench' | 'catalogues' | 'names'>): DeskPart[] {
  return bench.targets.flatMap(({ id }) => {
    const catalogue = catalogues[id]
    if (!catalogue) return []
    const name = names[id] ?? id
    const gone = { ...catalogue.gone, costs: {}, findings: {}, marks: catalogue.marks }
    return [...partsOf(id, name, catalogue), ...partsOf(id, name, gone)]
  })
}

/** Parts grouped by their effect, reduced to those that contain all words of a search. */
export function groupsOf(parts: readonly DeskPart[], search: string): PartGroup[] {
  const words = search.toLowerCase().split(/\s+/).filter(Boolean)
  const found = parts.filter((part) => {
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

function partsOf(
  target: string,
  targetName: string,
  {
    tools,
    resources,
    templates,
    prompts,
    costs,
    marks,
    findings,
  }: Catalogue & Pick<CatalogueView, 'costs' | 'marks' | 'findings'>,
): DeskPart[] {
  const base = (kind: DeskPart['kind'], title: string, about: string | undefined) => ({
    key: `${target} ${kind} ${title}`,
    target,
    targetName,
    title,
    about: about ?? '',
    cost: kind === 'tool' ? costs[title] : undefined,
    mark: marks[`${kind} ${title}`],
    findings: findings[`${kind} ${title}`] ?? [],
  })
  return [
    ...tools.map((definition): DeskPart => {
      const effect = effectOf(definition.annotations)
      return { ...base('tool', definition.name, definition.description), kind: 'tool', effect, definition }
    }),
    ...templates.map((definition): DeskPart => {
      const { uriTemplate, description, name } = definition
      return { ...base('template', uriTemplate, description ?? name), kind: 'template', definition }
    }),
    ...prompts.map((definition): DeskPart => {
      return { ...base('prompt', definition.name, definition.description), kind: 'prompt', definition }
    }),
    ...resources.map((definition): DeskPart => {
      const { uri, description, name } = definition
      return { ...base('resource', uri, description ?? name), kind: 'resource', definition }
    }),
  ]
}
