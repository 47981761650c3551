/** The longest message that is read: a longer one is skipped, or refused. */
export const maxMessageBytes = 1_000_000

export interface MessageOptions {
  /** The topic of a message, made of its fields: `{site}/{hive}`; `{*}` is its own. Default: its own, such as the name of an event, or `message`. */
  readonly topic?: string
}
