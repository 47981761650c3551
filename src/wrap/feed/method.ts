import type { Effect } from '../../kit/effects.js'
import type { JsonSchema } from '../../kit/schema.js'
import { type TopicPattern, topicLevel, topicPattern } from './topics.js'

/** A method of a device that becomes a tool. */
export interface MethodOptions {
  /** Its path, with variables: `Scales/{hive}/Tare`. */
  readonly path: string
  readonly about?: string
  /** Default: `change`. */
  readonly effect?: Effect
  /** JSON Schema of its arguments, an object. Default: none. */
  readonly input?: JsonSchema
}
export interface Method extends Omit<MethodOptions, 'path'> {
  readonly name: string
  readonly pattern: TopicPattern
}

export const methodsOf = (given: Readonly<Record<string, MethodOptions>>): Method[] =>
  Object.entries(given).map(([name, { path, ...rest }]) => ({ ...rest, name, pattern: topicPattern(path) }))

/** The path of a method: a pattern with its variables replaced. */
export const pathOf = (pattern: string, keys: Readonly<Record<string, unknown>>): string =>
  pattern.replace(/\{(\w+)\}/g, (_all, name: string) => topicLevel(String(keys[name] ?? '')))
