import { Button, CopyButton, TextInput } from '@mantine/core'
import { Fragment, lazy, Suspense, useMemo, useState } from 'react'
import { saveBlob } from '../api'

const JsonTree = lazy(() => import('./JsonTree'))

const tokens = /("(?:[^"\\]|\\.)*")(\s*:)?|\b(?:true|false|null|-?\d[\d.eE+-]*)\b/g
/** Longer texts are unreadable, and laying them out would block the page. */
const mostCharacters = 60_000

interface Props {
  value: unknown
  label: string
}

/** The exact JSON: as text if it is short, as a tree if it is long. Both can be searched. */
export function JsonView({ value, label }: Props) {
  const size = useMemo(() => sizeOf(value), [value])
  const isLong = size > mostCharacters
  const [isTree, setTree] = useState(isLong)
  const [search, setSearch] = useState('')
  return (
    <section className="json" aria-label={label}>
      <div className="json-bar">
        {!isLong && (
          <Button size="compact-xs" variant="subtle" onClick={() => setTree(!isTree)}>
            {isTree ? 'As text' : 'As a tree'}
          </Button>
        )}
        {isTree && (
          <TextInput
            size="xs"
            aria-label={`Search in ${label}`}
            placeholder="Search keys and values"
            value={search}
            onChange={(event) => setSearch(event.currentTarget.value)}
          />
        )}
        {isLong ? (
          <Button size="compact-xs" variant="subtle" onClick={() => saveBlob(blobOf(value), 'message.json')}>
            Save all of it
          </Button>
        ) : (
          <CopyText value={value} label={label} />
        )}
      </div>
      {isTree ? (
        <Suspense fallback={<p>Loading the tree…</p>}>
          <JsonTree value={value} search={search} />
        </Suspense>
      ) : (
        // biome-ignore lint/a11y/noNoninteractiveTabindex: a region that scrolls has to be reachable by keyboard
        <pre tabIndex={0}>{coloured(JSON.stringify(value, null, 2) ?? 'undefined')}</pre>
      )}
    </section>
  )
}

function CopyText({ value, label }: Props) {
  return (
    <CopyButton value={JSON.stringify(value, null, 2) ?? ''}>
      {({ copied, copy }) => (
        <Button size="compact-xs" variant="subtle" onClick={copy} aria-label={`Copy ${label}`}>
          {copied ? 'Copied' : 'Copy'}
        </Button>
      )}
    </CopyButton>
  )
}

const blobOf = (value: unknown) => new Blob([JSON.stringify(value, null, 2)], { type: 'application/json' })

/** Length of a value as JSON; stops counting at the limit. */
function sizeOf(value: unknown): number {
  let size = 0
  const waiting: unknown[] = [value]
  while (waiting.length > 0 && size <= mostCharacters) {
    const next = waiting.pop()
    if (typeof next === 'string') size += next.length + 2
    else if (typeof next === 'object' && next !== null) {
      const items = Object.entries(next)
      for (const [key] of items.slice(0, mostCharacters)) size += key.length + 4
      if (size <= mostCharacters) waiting.push(...items.slice(0, 10_000).map(([, item]) => item))
      if (items.length > 10_000) size += mostCharacters
    } else size += 6
  }
  return size
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
