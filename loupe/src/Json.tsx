import { CopyButton, UnstyledButton } from '@mantine/core'
import { Fragment } from 'react'

const tokens = /("(?:[^"\\]|\\.)*")(\s*:)?|\b(?:true|false|null|-?\d[\d.eE+-]*)\b/g
const mostCharacters = 200_000

/** JSON exactly as it is, indented, with keys, texts and numbers told apart. Very long ones are cut for the eye, not for the copy. */
export function Json({ value, label }: { value: unknown; label: string }) {
  const whole = JSON.stringify(value, null, 2) ?? 'undefined'
  const text =
    whole.length > mostCharacters
      ? `${whole.slice(0, mostCharacters)}\n… ${whole.length - mostCharacters} characters more; copy gives all`
      : whole
  return (
    <section className="json" aria-label={label}>
      <CopyButton value={whole}>
        {({ copied, copy }) => (
          <UnstyledButton className="copy" onClick={copy} aria-label={`Copy ${label}`}>
            {copied ? 'copied' : 'copy'}
          </UnstyledButton>
        )}
      </CopyButton>
      {/* biome-ignore lint/a11y/noNoninteractiveTabindex: a region that scrolls has to be reachable by keyboard */}
      <pre tabIndex={0}>{text.length < 60_000 ? coloured(text) : text}</pre>
    </section>
  )
}

function coloured(text: string) {
  const pieces: React.ReactNode[] = []
  let from = 0
  for (const found of text.matchAll(tokens)) {
    const [whole, string, colon] = found
    const kind = string === undefined ? 'number' : colon ? 'key' : 'string'
    pieces.push(<Fragment key={from}>{text.slice(from, found.index)}</Fragment>)
    pieces.push(
      <span key={`t${found.index}`} className={`json-${kind}`}>
        {whole}
      </span>,
    )
    from = found.index + whole.length
  }
  return [...pieces, text.slice(from)]
}
