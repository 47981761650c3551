/** The longest message that is read: a longer one is skipped, or refused. */
export const maxMessageBytes = 1_000_000

export interface MessageOptions {
  /** Makes the topic of a message from its fields, as in `{site}/{hive}`; `{*}` is its own topic. Default: its own topic, such as the name of an event, or `message`. */
  readonly topic?: string
}
