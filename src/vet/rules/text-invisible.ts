import type { Rule } from '../finding.js'
import { textsOf } from '../texts.js'

/** Zero-width characters, direction marks, tags, and control characters other than line breaks and tabs. */
const invisible =
  // biome-ignore lint/suspicious/noControlCharactersInRegex: just those are looked for
  /[\u0000-\u0008\u000b\u000c\u000e-\u001f\u00ad\u180e\u200b-\u200f\u202a-\u202e\u2060-\u2064\u2066-\u206f\ufeff\ufff9-\ufffb]|[\u{e0000}-\u{e007f}]/u

export const textInvisible: Rule = {
  id: 'text-invisible',
  group: 'words',
  severity: 'error',
  about: 'Invisible characters, which a model reads and a person does not see.',
  check: (snapshot) =>
    textsOf(snapshot)
      .filter(({ text }) => invisible.test(text))
      .map(({ where, text }) => ({
        location: where,
        problem: `it contains the invisible character U+${(invisible.exec(text)?.[0].codePointAt(0) ?? 0).toString(16).toUpperCase().padStart(4, '0')}`,
        fix: 'remove it',
      })),
}
