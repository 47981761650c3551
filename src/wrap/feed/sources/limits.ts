/** Maximum size of a message; longer messages are skipped or refused. */
export const maxMessageBytes = 1_000_000

export interface MessageOptions {
  /** Template that derives the topic of a message from its fields, as in `{site}/{hive}`; `{*}` inserts the original topic. Default: the original topic, such as the name of an event, or `message`. */
  readonly topic?: string
}
