/** Messages between a view and its host (extension `io.modelcontextprotocol/ui`, 2026-01-26). Types only. */
import type { ContentBlock, Implementation, LogLevel, ToolDefinition } from '../../protocol/types.js'
import type { DisplayMode } from '../../protocol/ui.js'

/** Context that the host provides to a view. */
export interface ViewContext {
  /** The call that the view belongs to. */
  toolInfo?: { id?: string | number; tool: ToolDefinition }
  theme?: 'light' | 'dark'
  /** CSS variables by name, such as `--color-background-primary`. */
  styles?: { variables?: Readonly<Record<string, string>>; css?: { fonts?: string } }
  displayMode?: DisplayMode
  availableDisplayModes?: readonly DisplayMode[]
  /** In CSS pixels. A fixed size, or a maximum. */
  containerDimensions?: { width?: number; height?: number; maxWidth?: number; maxHeight?: number }
  /** Language tag (BCP 47), such as `de-CH`. */
  locale?: string
  /** IANA name, such as `Europe/Zurich`. */
  timeZone?: string
  platform?: 'web' | 'desktop' | 'mobile'
  userAgent?: string
  deviceCapabilities?: { touch?: boolean; hover?: boolean }
  /** In CSS pixels. */
  safeAreaInsets?: { top: number; right: number; bottom: number; left: number }
}

/** Capabilities of a host for views. */
export interface HostCapabilities {
  openLinks?: Record<string, never>
  serverTools?: { listChanged?: boolean }
  serverResources?: { listChanged?: boolean }
  logging?: Record<string, never>
  message?: object
  updateModelContext?: object
  sandbox?: object
}

export interface InitializeParams {
  protocolVersion: string
  appInfo: Implementation
  appCapabilities: { availableDisplayModes?: readonly DisplayMode[] }
}
export interface InitializeResult {
  protocolVersion: string
  hostInfo: Implementation
  hostCapabilities: HostCapabilities
  hostContext: ViewContext
}

/** Context of a view for the model's next turn; it replaces the previous context. */
export interface ModelContext {
  content?: readonly ContentBlock[]
  structuredContent?: Record<string, unknown>
}

export interface ViewLog {
  level: LogLevel
  logger?: string
  data: unknown
}
