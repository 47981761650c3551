import { annotationsOf } from '../kit/effects.js'
import type { Layer } from '../kit/layer.js'
import { layersAround } from '../kit/layers-around.js'
import {
  keyOf,
  type Part,
  type PromptPart,
  type ResourcePart,
  type TemplatePart,
  type ToolPart,
} from '../kit/part.js'
import type { Schema } from '../kit/schema.js'
import { type Check, checkFor, type JsonSchemaValidator } from '../kit/validation.js'
import { promptFor, resourceFor, templateFor, toolFor } from '../protocol/downgrade.js'
import { isObject } from '../protocol/messages.js'
import type { Revision } from '../protocol/revisions.js'
import type { PromptDefinition, ResourceDefinition, TemplateDefinition, ToolDefinition } from '../protocol/types.js'
import type { Placed } from './pages.js'

/** A part prepared for use: its definition for each revision, its position in the list, its checks. */
export interface Ready<P extends Part, Definition> {
  readonly part: P
  readonly place: number
  definition(revision: Revision): Definition
  readonly checkInput: Check
  readonly checkOutput: Check | undefined
  /** Outermost first; the kit's before the part's own. */
  readonly layers: readonly Layer[]
}
export type ReadyTool = Ready<ToolPart, ToolDefinition>
export type ReadyResource = Ready<ResourcePart, ResourceDefinition>
export type ReadyTemplate = Ready<TemplatePart, TemplateDefinition>
export type ReadyPrompt = Ready<PromptPart, PromptDefinition>

/** The parts of a kit at one moment, by kind and key. A change makes a new index; calls keep the one they began with. */
export class PartIndex {
  readonly tools = new Map<string, ReadyTool>()
  readonly resources = new Map<string, ReadyResource>()
  readonly templates = new Map<string, ReadyTemplate>()
  readonly prompts = new Map<string, ReadyPrompt>()
  /** The highest position so far. */
  readonly latestPlace: number

  readonly #outer: readonly Layer[]
  readonly #forPages: boolean

  /**
   * `outer` are layers around all parts; with `forPages`, tools declare who may call them, and which view shows their
   * result.
   */
  constructor(
    parts: readonly Part[],
    validator: JsonSchemaValidator,
    outer: readonly Layer[] = [],
    before?: PartIndex,
    forPages = false,
  ) {
    this.#outer = outer
    this.#forPages = forPages
    let latestPlace = before?.latestPlace ?? -1
    for (const part of parts) {
      const known = before?.find(part.kind, keyOf(part))
      const isSame = before !== undefined && before.#outer === outer && before.#forPages === forPages
      if (known?.part === part && isSame) this.#put(known)
      else this.#put(ready(part, known?.place ?? ++latestPlace, validator, layersAround(part, outer), forPages))
    }
    this.latestPlace = latestPlace
  }

  get hasCompletions(): boolean {
    const completes = (entry: ReadyTemplate | ReadyPrompt) => Object.keys(entry.part.complete).length > 0
    return [...this.templates.values()].some(completes) || [...this.prompts.values()].some(completes)
  }

  find(kind: Part['kind'], key: string): ReadyTool | ReadyResource | ReadyTemplate | ReadyPrompt | undefined {
    return this.#mapOf(kind).get(key)
  }

  #mapOf(kind: Part['kind']): Map<string, ReadyTool | ReadyResource | ReadyTemplate | ReadyPrompt> {
    const maps = { tool: this.tools, resource: this.resources, template: this.templates, prompt: this.prompts }
    return maps[kind] as Map<string, ReadyTool | ReadyResource | ReadyTemplate | ReadyPrompt>
  }

  #put(entry: ReadyTool | ReadyResource | ReadyTemplate | ReadyPrompt): void {
    this.#mapOf(entry.part.kind).set(keyOf(entry.part), entry)
  }
}

/** The definitions of one kind in list order, for a revision. */
export function definitionsOf<P extends Part, D>(
  entries: Map<string, Ready<P, D>>,
  revision: Revision,
): Placed<D>[] {
  return [...entries.values()]
    .sort((a, b) => a.place - b.place)
    .map((entry) => ({ place: entry.place, offset: 0, value: entry.definition(revision) }))
}

function ready(
  part: Part,
  place: number,
  validator: JsonSchemaValidator,
  layers: readonly Layer[],
  forPages: boolean,
) {
  const passes = part.kind === 'tool' && part.passes === true
  const input =
    'inputSchema' in part && !passes ? checkFor(part.input, part.inputSchema, validator) : acceptAnything
  const output =
    part.kind === 'tool' && part.outputSchema && !passes
      ? checkFor(part.output as Schema | undefined, part.outputSchema, validator)
      : undefined
  const cache = new Map<Revision, unknown>()
  return {
    part,
    place,
    checkInput: input,
    checkOutput: output,
    layers,
    definition(revision: Revision) {
      const known = cache.get(revision)
      if (known !== undefined) return known
      const made = Object.freeze(definitionFor(part, revision, forPages))
      cache.set(revision, made)
      return made
    },
  } as ReadyTool | ReadyResource | ReadyTemplate | ReadyPrompt
}

const acceptAnything: Check = (value) => ({ ok: true, value })

function definitionFor(part: Part, revision: Revision, forPages: boolean) {
  if (part.kind === 'tool') return toolFor(revision, toolDefinition(part, forPages))
  if (part.kind === 'resource') return resourceFor(revision, resourceDefinition(part))
  return part.kind === 'template'
    ? templateFor(revision, templateDefinition(part))
    : promptFor(revision, promptDefinition(part))
}

function toolDefinition(part: ToolPart, forPages: boolean): ToolDefinition {
  const examples = part.examples.map((example) => example.input)
  return {
    name: part.name,
    ...commonOf(part),
    ...(forPages ? metaWithUi(part) : {}),
    inputSchema: examples.length > 0 ? { ...part.inputSchema, examples } : part.inputSchema,
    ...(part.outputSchema ? { outputSchema: part.outputSchema } : {}),
    ...(part.task === undefined ? {} : { execution: { taskSupport: part.task } }),
    annotations: {
      ...(part.title === undefined ? {} : { title: part.title }),
      ...(part.hints ?? annotationsOf(part.effect)),
    },
  }
}

/** Views may call only tools whose author allows it, and the tool that they show. */
function metaWithUi({ meta, view, forPages }: ToolPart): Pick<ToolDefinition, '_meta'> {
  const visibility = { too: ['model', 'app'], only: ['app'], none: view ? undefined : ['model'] }[
    forPages ?? 'none'
  ]
  const own = isObject(meta?.ui) ? meta.ui : {}
  const ui = {
    ...(visibility ? { visibility } : {}),
    ...own,
    ...(view ? { resourceUri: view.uri } : {}),
    ...(forPages ? { visibility } : {}),
  }
  return Object.keys(ui).length === 0 ? {} : { _meta: { ...meta, ui } }
}

function resourceDefinition(part: ResourcePart): ResourceDefinition {
  const { uri, name, mimeType, size, annotations } = part
  return {
    uri,
    name,
    ...commonOf(part),
    ...(mimeType === undefined ? {} : { mimeType }),
    ...(size === undefined ? {} : { size }),
    ...(annotations ? { annotations } : {}),
  }
}

function templateDefinition(part: TemplatePart): TemplateDefinition {
  const { uriTemplate, name, mimeType, annotations } = part
  return {
    uriTemplate,
    name,
    ...commonOf(part),
    ...(mimeType === undefined ? {} : { mimeType }),
    ...(annotations ? { annotations } : {}),
  }
}

function promptDefinition(part: PromptPart): PromptDefinition {
  return { name: part.name, ...commonOf(part), ...(part.arguments.length > 0 ? { arguments: part.arguments } : {}) }
}

function commonOf(part: Part) {
  return {
    ...(part.title === undefined ? {} : { title: part.title }),
    description: part.about,
    ...(part.icons ? { icons: part.icons } : {}),
    ...(part.meta ? { _meta: part.meta } : {}),
  }
}
