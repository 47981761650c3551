/**
 * A text from elsewhere as it may be printed: control characters, and those that reverse or hide what follows, are written as `\\u001b`, so that
 * a name, a log line or an error cannot move the cursor, set a title, fill the clipboard or disguise a link. Tabs and line ends stay.
 *
 * @example escapeControls('\u001b]0;bees\u0007') // '\\u001b]0;bees\\u0007'
 */
export function escapeControls(text: string): string {
  return unsafe.test(text) ? text.replace(eachUnsafe, shown) : text
}

/** The same for a text that must stay on one line, such as a name in a table. */
export const escapeLine = (text: string): string => escapeControls(text).replace(/[\r\n\t\u2028\u2029]+/g, ' ')

const unsafe = /[\p{Cc}\u061c\u200e\u200f\u202a-\u202e\u2066-\u2069]/u
const eachUnsafe = /\r\n|[\p{Cc}\u061c\u200e\u200f\u202a-\u202e\u2066-\u2069]/gu

const shown = (found: string): string =>
  found === '\n' || found === '\t' || found === '\r\n'
    ? found
    : `\\u${found.charCodeAt(0).toString(16).padStart(4, '0')}`
