import type { Rule } from '../finding.js'

export const viewMessage: Rule = {
  id: 'view-message',
  group: 'safety',
  severity: 'note',
  about: 'Messages of pages that could make a model call a tool again.',
  check: ({ views = [] }) =>
    views.flatMap(({ uri, html }) =>
      [...new Set(messagesIn(html))].filter(isAmbiguous).map((text) => ({
        location: `resource ${uri}`,
        problem: `the page says ${JSON.stringify(text)} in the conversation; a model may call a tool again because of it`,
        fix: 'say what happened and what the user wants, or use host.tellModel, which does not start a turn',
      })),
    ),
}

/** Literal texts that a view adds to the conversation. */
const messagesIn = (html: string): string[] =>
  [...html.matchAll(/\.say\(\s*(["'`])([^"'`$]{1,300})\1/g)].map(([, , text = '']) => text)

/** Messages that are too short to be suspicious, such as "continue". */
const isAmbiguous = (text: string): boolean =>
  text.trim().split(/\s+/).length < 4 ||
  /^(ok|okay|yes|done|next|continue|go on|do it|again|confirm(ed)?)\b/i.test(text.trim())
