import markdownIt from 'markdown-it'
import { useMemo } from 'react'

// HTML stays text, and only safe addresses become links, since the content comes from a server.
const reader = markdownIt({ html: false, linkify: false, breaks: false })
const usual = reader.renderer.rules.link_open
reader.renderer.rules.link_open = (tokens, at, options, env, self) => {
  tokens[at]?.attrSet('target', '_blank')
  tokens[at]?.attrSet('rel', 'noreferrer noopener')
  return usual ? usual(tokens, at, options, env, self) : self.renderToken(tokens, at, options)
}
// Images are not fetched; their place and description are shown.
reader.renderer.rules.image = (tokens, at) => {
  const token = tokens[at]
  return `<span class="picture">[picture: ${reader.utils.escapeHtml(token?.content ?? '')}]</span>`
}

/** A rendered Markdown text. */
export default function Markdown({ text }: { text: string }) {
  const html = useMemo(() => reader.render(text), [text])
  // biome-ignore lint/security/noDangerouslySetInnerHtml: made by a reader that lets no HTML of the text through
  return <div className="markdown" dangerouslySetInnerHTML={{ __html: html }} />
}
