import { branded, brands } from '../../kit/brand.js'
import type { Call, Completer } from '../../kit/call.js'
import { effectOf } from '../../kit/effects.js'
import type { Part, PromptPart, ResourcePart, TemplatePart, ToolPart, ViewPart } from '../../kit/part.js'
import { prompt } from '../../kit/prompt.js'
import type { Shared } from '../../kit/shared.js'
import { verbatim } from '../../kit/verbatim.js'
import { isObject, type JsonObject } from '../../protocol/messages.js'
import type {
  PromptDefinition,
  ResourceDefinition,
  TemplateDefinition,
  ToolDefinition,
} from '../../protocol/types.js'
import { isViewType, uiOf, viewMimeType } from '../../protocol/ui.js'
import { parseUriTemplate } from '../../protocol/uri-template.js'
import type { Planned, ServerPlan } from './plan.js'
import { type UriMap, withOuterUris } from './uris.js'

/** Handles the requests of a plan's parts. */
export interface Upstream {
  callTool(call: Call, name: string, input: JsonObject): Promise<JsonObject>
  ask(call: Call, method: string, params: JsonObject): Promise<JsonObject>
  /** Reads a resource: this one, or the one of the request. */
  read(call: Call, uri: string | undefined, uris: UriMap): Promise<JsonObject>
  subscribe(call: Call, method: string, uri: string): Promise<void>
}

/** The parts of a plan: each passes its requests on to the server, and the responses back. */
export function serverPartsOf(plan: ServerPlan, upstreams: Shared<Upstream>, uris: UriMap): Part[] {
  const maker = new Maker(plan, upstreams, uris)
  const resources = plan.resources.map((definition) => maker.resource(definition))
  return [
    ...plan.tools.map((planned) => maker.tool(planned)),
    ...resources,
    ...plan.templates.map((definition) => maker.template(definition)),
    ...plan.prompts.map((planned) => maker.prompt(planned)),
  ]
}

class Maker {
  readonly #plan: ServerPlan
  readonly #upstreams: Shared<Upstream>
  readonly #uris: UriMap
  /** Views of the server, by its own URIs. */
  readonly #views = new Map<string, ViewPart>()

  constructor(plan: ServerPlan, upstreams: Shared<Upstream>, uris: UriMap) {
    this.#plan = plan
    this.#upstreams = upstreams
    this.#uris = uris
  }

  tool({ name, as, definition }: Planned<ToolDefinition>): ToolPart {
    const { inputSchema, outputSchema, annotations, execution } = definition
    const { taskSupport } = execution ?? {}
    const { resourceUri, isForModel, isForPages } = uiOf(definition)
    const part: ToolPart = {
      kind: 'tool',
      name: as,
      ...this.#common(definition, `The tool ${name} of ${this.#plan.server.name}.`),
      // The server itself checks its arguments and results.
      input: undefined,
      output: undefined,
      inputSchema,
      outputSchema,
      passes: true,
      hints: annotations ?? {},
      effect: effectOf(annotations),
      examples: [],
      confirm: undefined,
      askFor: [],
      task: taskSupport === 'optional' || taskSupport === 'required' ? taskSupport : undefined,
      durable: undefined,
      view: resourceUri === undefined ? undefined : this.#view({ uri: resourceUri, name: resourceUri }),
      // A tool without visibility is for the model only.
      forPages: isForPages && isObject(definition._meta?.ui) ? (isForModel ? 'too' : 'only') : undefined,
      run: async (input, call) => {
        const upstreams = await call.use(this.#upstreams)
        const result = await upstreams.callTool(call, name, input as JsonObject)
        return verbatim(withOuterUris(result, this.#uris))
      },
    }
    return branded(part, brands.part)
  }

  /** A view of the server, which is read from it. */
  #view(definition: ResourceDefinition): ViewPart {
    const known = this.#views.get(definition.uri)
    if (known) return known
    const part: ViewPart = {
      ...this.#resource({ ...definition, mimeType: viewMimeType }),
      page: '',
      ui: {},
      passes: true,
    }
    this.#views.set(definition.uri, branded(part, brands.part))
    return part
  }

  resource(definition: ResourceDefinition): ResourcePart {
    const { uri, mimeType } = definition
    const isPage = uri.startsWith('ui://') && isViewType(mimeType)
    return isPage ? this.#view(definition) : branded(this.#resource(definition), brands.part)
  }

  #resource(definition: ResourceDefinition): ResourcePart {
    const { uri, name, mimeType, size, annotations } = definition
    const part: ResourcePart = {
      kind: 'resource',
      uri: this.#uris.outer(uri),
      name: name || uri,
      ...this.#common(definition, `A resource of ${this.#plan.server.name}.`),
      ...{ mimeType, size, annotations },
      ...this.#reading(() => uri),
      read: (call) => this.#read(call, uri),
    }
    return part
  }

  template(definition: TemplateDefinition): TemplatePart {
    const { uriTemplate, name, mimeType, annotations } = definition
    const outer = this.#uris.outer(uriTemplate)
    const parsed = parseUriTemplate(outer)
    const ref = { type: 'ref/resource', uri: uriTemplate }
    const part: TemplatePart = {
      kind: 'template',
      uriTemplate: outer,
      parsed,
      name: name || uriTemplate,
      ...this.#common(definition, `Resources of ${this.#plan.server.name}.`),
      ...{ mimeType, annotations },
      list: undefined,
      complete: this.#completers(ref, parsed.variables),
      ...this.#reading((uri) => this.#uris.inner(uri)),
      read: async (_variables, call) => this.#read(call, undefined),
    }
    return branded(part, brands.part)
  }

  prompt({ name, as, definition }: Planned<PromptDefinition>): PromptPart {
    const { arguments: fields = [] } = definition
    const made = prompt(as, {
      ...this.#common(definition, `The prompt ${name} of ${this.#plan.server.name}.`),
      input: {
        type: 'object',
        properties: Object.fromEntries(
          fields.map((field) => [
            field.name,
            {
              type: 'string',
              ...(field.title === undefined ? {} : { title: field.title }),
              ...(field.description === undefined ? {} : { description: field.description }),
            },
          ]),
        ),
        required: fields.filter(({ required }) => required === true).map((field) => field.name),
      } as never,
      run: (async (args: unknown, call: Call) => {
        const upstreams = await call.use(this.#upstreams)
        const result = await upstreams.ask(call, 'prompts/get', { name, arguments: args })
        return verbatim(withOuterUris(result, this.#uris))
      }) as never,
    })
    const complete = this.#completers(
      { type: 'ref/prompt', name },
      fields.map((field) => field.name),
    )
    return branded({ ...made, complete } as PromptPart, brands.part)
  }

  /** For a template, the URI is that of the request. */
  async #read(call: Call, uri: string | undefined) {
    const upstreams = await call.use(this.#upstreams)
    const result = await upstreams.read(call, uri, this.#uris)
    return verbatim(withOuterUris(result, this.#uris))
  }

  #reading(innerOf: (uri: string) => string): Pick<ResourcePart, 'source' | 'subscribe' | 'unsubscribe'> {
    const change = (method: string) => async (uri: string, call: Call) => {
      const upstreams = await call.use(this.#upstreams)
      await upstreams.subscribe(call, method, innerOf(uri))
    }
    return { subscribe: change('resources/subscribe'), unsubscribe: change('resources/unsubscribe') }
  }

  #completers(ref: JsonObject, names: readonly string[]): Readonly<Record<string, Completer>> {
    if (!this.#plan.completes) return {}
    const completerOf =
      (name: string): Completer =>
      async (typed, call) => {
        const upstreams = await call.use(this.#upstreams)
        const context = Object.keys(call.filled).length > 0 ? { context: { arguments: { ...call.filled } } } : {}
        const params = { ref, argument: { name, value: typed }, ...context }
        return verbatim(await upstreams.ask(call, 'completion/complete', params)) as never
      }
    return Object.fromEntries(names.map((name) => [name, completerOf(name)]))
  }

  #common(
    { title, description, icons, _meta }: Pick<ToolDefinition, 'title' | 'description' | 'icons' | '_meta'>,
    otherwise: string,
  ) {
    const { tags } = this.#plan
    return {
      about: description || title || otherwise,
      ...(title === undefined ? {} : { title }),
      ...(icons === undefined ? {} : { icons }),
      ...(_meta === undefined ? {} : { meta: _meta }),
      ...(tags.length === 0 ? {} : { tags }),
    }
  }
}
