import { isObject } from '../../../protocol/messages.js'
import { feedErrors } from '../errors.js'
import type { FeedSink } from '../source.js'
import { topicLevel } from '../topics.js'

/**
 * The topic of a message; undefined if it lacks a field of the template. `own` is the name of the event, or the path
 * that it was sent to.
 */
export type TopicOf = (message: unknown, own: string) => string | undefined

/** Default topic of messages without a name. */
export const unnamed = 'message'

/**
 * Builds topics from the fields of messages: `{site}/{hive}`, `{*}/{sensor.id}`, where `{*}` is the message's own
 * topic. Throws a `JexoError` if the template cannot be parsed.
 */
export function topicMaker(template: string | undefined): TopicOf {
  if (template === undefined) return (_message, own) => own
  const levels = template.split('/').map((level) => {
    const path = /^\{(\*|[^{}/]+)\}$/.exec(level)?.[1]
    if (path === undefined && /[{}]/.test(level)) throw feedErrors.topicUnreadable(template)
    return path === undefined ? { text: level } : { path }
  })
  return (message, own) => {
    const made = levels.map(({ text, path }) => {
      if (path === undefined) return text
      return path === '*' ? own : levelOf(fieldAt(message, path))
    })
    return made.includes(undefined) ? undefined : made.join('/')
  }
}

/** A field of a message: `sensor.id` is a field of a nested object. */
export function fieldAt(message: unknown, path: string): unknown {
  if (isObject(message) && Object.hasOwn(message, path)) return message[path]
  let found = message
  for (const name of path.split('.')) {
    if (!isObject(found) || !Object.hasOwn(found, name)) return undefined
    found = found[name]
  }
  return found
}

function levelOf(value: unknown): string | undefined {
  if (typeof value !== 'string' && typeof value !== 'number' && typeof value !== 'boolean') return undefined
  return topicLevel(String(value))
}

/** Passes on the messages of a source with their topics. Messages that lack a field of the topic are dropped. */
export function messagePusher(sink: FeedSink, topicOf: TopicOf): (value: unknown, own: string) => void {
  return (value, own) => {
    const topic = topicOf(value, own)
    if (topic !== undefined) sink.push(topic, value)
  }
}
