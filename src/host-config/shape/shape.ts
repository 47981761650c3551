import type { JsonObject } from '../../protocol/messages.js'

/** The forms in which hosts keep their servers, by what they look like. */
export const shapeNames = ['mcpServers', 'servers', 'toml', 'yaml'] as const
export type ShapeName = (typeof shapeNames)[number]

/** A value that the host asks the user for and stores itself, so that no file contains it. Entries refer to it by `${input:<id>}`. */
export interface HostInput {
  id: string
  description: string
}

/** The servers in a host's configuration, as they are written there. */
export interface ServerMap {
  /** Keys that lead to them, for people. */
  path: readonly string[]
  /** Entries by name. */
  servers: JsonObject
}

/**
 * One way to keep servers in a file. All functions are from text to text; `file` is only named in errors. They throw a `JexoError` where
 * the text cannot be read, and change nothing in it but the entry: comments, order and other entries stay.
 */
export interface Shape {
  /** True if entries may refer to inputs, which are siblings of the map `servers`. */
  takesInputs: boolean
  read(file: string, text: string): ServerMap | undefined
  put(file: string, text: string, name: string, entry: JsonObject, inputs?: readonly HostInput[]): string
  remove(file: string, text: string, name: string): string
}
