import type { JsonObject } from '../../protocol/messages.js'

/** The formats in which hosts store their servers. */
export const shapeNames = ['mcpServers', 'servers', 'toml', 'yaml'] as const
export type ShapeName = (typeof shapeNames)[number]

/** A value that the host asks the user for and stores itself, so that no file contains it. Entries refer to it by `${input:<id>}`. */
export interface HostInput {
  id: string
  description: string
}

/** The servers in a host's configuration, as written in the file. */
export interface ServerMap {
  /** The keys that lead to them, for messages. */
  path: readonly string[]
  /** Entries by name. */
  servers: JsonObject
}

/**
 * One format of a host's configuration. All functions take and return text; `file` is only used in errors. They throw a
 * `JexoError` if the text cannot be parsed, and change only the entry: comments, order and other entries stay.
 */
export interface Shape {
  /** True if entries may refer to inputs, which are siblings of the map `servers`. */
  takesInputs: boolean
  read(file: string, text: string): ServerMap | undefined
  put(file: string, text: string, name: string, entry: JsonObject, inputs?: readonly HostInput[]): string
  remove(file: string, text: string, name: string): string
}
