/** The extension for views: pages that a tool shows inside a host (`io.modelcontextprotocol/ui`, revision 2026-01-26). */
import { isObject, type JsonObject } from './messages.js'
import type { ClientCapabilities, ResourceContents, ToolDefinition } from './types.js'

export const uiExtension = 'io.modelcontextprotocol/ui'
export const viewMimeType = 'text/html;profile=mcp-app'
/** Version of the messages between a view and its host. */
export const uiProtocolVersion = '2026-01-26'

/** Domains that a view may reach; nothing else is reachable. */
export interface ViewDomains {
  /** Origins for `fetch`, `WebSocket` and `EventSource`. */
  connectDomains?: readonly string[]
  /** For scripts, styles, fonts, images and media. */
  resourceDomains?: readonly string[]
  /** For nested frames. */
  frameDomains?: readonly string[]
  /** For `<base href>`. */
  baseUriDomains?: readonly string[]
}
export const viewPermissions = ['camera', 'microphone', 'geolocation', 'clipboardWrite'] as const
export type ViewPermission = (typeof viewPermissions)[number]

/** `_meta.ui` of a view's content. */
export interface ViewMeta {
  csp?: ViewDomains
  permissions?: Partial<Record<ViewPermission, JsonObject>>
  domain?: string
  prefersBorder?: boolean
}

/** `_meta.ui` of a tool. */
export interface ToolUi {
  resourceUri: string | undefined
  /** Callable by the model. */
  isForModel: boolean
  /** Callable by views of the same server. */
  isForPages: boolean
}

export type DisplayMode = 'inline' | 'fullscreen' | 'pip'
export const displayModes: readonly DisplayMode[] = ['inline', 'fullscreen', 'pip']

/** The capability of a client that shows views. */
export const viewsCapability: Readonly<Record<string, JsonObject>> = Object.freeze({
  [uiExtension]: { mimeTypes: [viewMimeType] },
})

/** True if the client shows views. */
export function declaresViews({ extensions }: ClientCapabilities): boolean {
  const declared = isObject(extensions) ? extensions[uiExtension] : undefined
  if (!isObject(declared)) return false
  const { mimeTypes } = declared
  return Array.isArray(mimeTypes) && mimeTypes.some((type) => isViewType(type))
}

/** True for the media type of views, in any spelling. */
export function isViewType(type: unknown): boolean {
  return typeof type === 'string' && type.toLowerCase().replace(/[\s"]/g, '') === viewMimeType
}

/** Who may call a tool, and the view that shows its result. Without `visibility`, the model and views may. */
export function uiOf(tool: Pick<ToolDefinition, '_meta'>): ToolUi {
  const ui = isObject(tool._meta?.ui) ? tool._meta.ui : {}
  const { resourceUri, visibility } = ui
  const named = Array.isArray(visibility) ? visibility : ['model', 'app']
  return {
    resourceUri: typeof resourceUri === 'string' && resourceUri.startsWith('ui://') ? resourceUri : undefined,
    isForModel: named.includes('model'),
    isForPages: named.includes('app'),
  }
}

/** The tools that the model sees. */
export const forModel = <T extends Pick<ToolDefinition, '_meta'>>(tools: readonly T[]): T[] =>
  tools.filter((tool) => uiOf(tool).isForModel)

/** `_meta.ui` of a view's content, reduced to its valid fields. */
export function viewMetaOf(contents: Pick<ResourceContents, '_meta'>): ViewMeta {
  const ui = isObject(contents._meta?.ui) ? contents._meta.ui : {}
  const { csp, permissions, domain, prefersBorder } = ui
  return {
    ...(isObject(csp) ? { csp: domainsOf(csp) } : {}),
    ...(isObject(permissions) ? { permissions: permissionsOf(permissions) } : {}),
    ...(typeof domain === 'string' ? { domain } : {}),
    ...(typeof prefersBorder === 'boolean' ? { prefersBorder } : {}),
  }
}

const domainKeys = ['connectDomains', 'resourceDomains', 'frameDomains', 'baseUriDomains'] as const

function domainsOf(csp: JsonObject): ViewDomains {
  return Object.fromEntries(
    domainKeys.flatMap((key) => {
      const list = csp[key]
      return Array.isArray(list) ? [[key, list.filter((item) => typeof item === 'string')]] : []
    }),
  )
}

function permissionsOf(permissions: JsonObject): NonNullable<ViewMeta['permissions']> {
  return Object.fromEntries(viewPermissions.filter((name) => isObject(permissions[name])).map((name) => [name, {}]))
}

/** An origin in the syntax of a content security policy: `https://tiles.example`, `wss://*.example:8443`. Anything else could widen the policy. */
export const isViewDomain = (text: string): boolean =>
  text.length <= 253 &&
  /^(https?|wss?):\/\/(\*\.)?[a-z0-9]([a-z0-9-]*[a-z0-9])?(\.[a-z0-9]([a-z0-9-]*[a-z0-9])?)*(:\d{1,5})?$/i.test(
    text,
  )
