import { Button } from '@mantine/core'
import { lazy, Suspense, useState } from 'react'
import type { ContentBlock, ResourceContents } from '../../../src/protocol/types.js'
import { saveBlob } from '../api'
import { Facts } from '../Facts'
import { DataTable, isTable } from './DataTable'
import { JsonView } from './JsonView'

const Markdown = lazy(() => import('./Markdown'))

const charactersAtOnce = 20_000
const mostMarkdown = 100_000

/** Reads a resource that a result names. */
export type OnFollow = (uri: string) => void

export function Blocks({ blocks, onFollow }: { blocks: readonly ContentBlock[]; onFollow: OnFollow | undefined }) {
  return blocks.map((block, index) => (
    // biome-ignore lint/suspicious/noArrayIndexKey: blocks have no names, and a result does not change
    <Block key={`${index}-${block.type}`} block={block} onFollow={onFollow} />
  ))
}

/** One block of content as a host would show it. */
export function Block({ block, onFollow }: { block: ContentBlock; onFollow: OnFollow | undefined }) {
  switch (block.type) {
    case 'text':
      return <Text text={block.text} mimeType={undefined} />
    case 'image':
      return <Picture data={block.data} mimeType={block.mimeType} label="Image in the result" />
    case 'audio':
      // biome-ignore lint/a11y/useMediaCaption: a server sends no captions
      return <audio controls src={`data:${block.mimeType};base64,${block.data}`} />
    case 'resource':
      return (
        <figure className="embedded">
          <figcaption>{block.resource.uri}</figcaption>
          <Contents contents={block.resource} />
        </figure>
      )
    case 'resource_link':
      return (
        <p className="linked">
          <Button
            size="compact-sm"
            variant="light"
            disabled={onFollow === undefined}
            onClick={() => onFollow?.(block.uri)}
          >
            {block.title ?? block.name}
          </Button>{' '}
          <code>{block.uri}</code> {block.description}
        </p>
      )
    default:
      return <JsonView value={block} label="Content" />
  }
}

/** The contents of a resource. */
export function Contents({ contents }: { contents: ResourceContents }) {
  const { text, blob = '', mimeType = '', uri } = contents
  if (text !== undefined) return <Text text={text} mimeType={mimeType} />
  if (/^image\//.test(mimeType)) return <Picture data={blob} mimeType={mimeType} label={uri} />
  if (/^audio\//.test(mimeType)) {
    // biome-ignore lint/a11y/useMediaCaption: a server sends no captions
    return <audio controls src={`data:${mimeType};base64,${blob}`} />
  }
  const bytes = Math.floor((blob.length * 3) / 4)
  return (
    <p>
      {mimeType || 'Bytes'}, {bytes.toLocaleString('en')} bytes{' '}
      <Button size="compact-xs" variant="light" onClick={() => saveBlob(blobOf(blob, mimeType), nameOf(uri))}>
        Save
      </Button>
    </p>
  )
}

/** Shown only as an image, so that no other content in the bytes can run. */
function Picture({ data, mimeType, label }: { data: string; mimeType: string; label: string }) {
  const [isBroken, setBroken] = useState(false)
  if (isBroken) return <p className="issue">This image cannot be shown ({mimeType}).</p>
  return <img src={`data:${mimeType};base64,${data}`} alt={label} onError={() => setBroken(true)} />
}

/** A text in its format: table, JSON, Markdown or plain. */
export function Text({ text, mimeType }: { text: string; mimeType: string | undefined }) {
  const parsed = mimeType !== 'text/markdown' && /^\s*[[{]/.test(text) ? parse(text) : undefined
  const isMarkdown = mimeType === 'text/markdown' || (mimeType === undefined && looksLikeMarkdown(text))
  const [isPlain, setPlain] = useState(false)
  const [shown, setShown] = useState(charactersAtOnce)
  if (parsed !== undefined) return <Value value={parsed} label="Text that is JSON" />
  if (isMarkdown && !isPlain && text.length <= mostMarkdown) {
    return (
      <div>
        <Suspense fallback={<pre className="text">{text}</pre>}>
          <Markdown text={text} />
        </Suspense>
        <Button size="compact-xs" variant="subtle" onClick={() => setPlain(true)}>
          As plain text
        </Button>
      </div>
    )
  }
  return (
    <div>
      <pre className="text">{text.slice(0, shown)}</pre>
      {text.length > shown && (
        <p>
          <Button size="compact-xs" variant="subtle" onClick={() => setShown(shown * 3)}>
            {(text.length - shown).toLocaleString('en')} characters more
          </Button>
          <Button size="compact-xs" variant="subtle" onClick={() => saveBlob(new Blob([text]), 'result.txt')}>
            Save all of it
          </Button>
        </p>
      )}
    </div>
  )
}

/** A value as facts, as a table, or as JSON, whichever is easier to read. */
export function Value({ value, label }: { value: unknown; label: string }) {
  if (isTable(value)) return <DataTable rows={value} label={label} />
  if (typeof value !== 'object' || value === null || Array.isArray(value))
    return <JsonView value={value} label={label} />
  const facts = Object.entries(value).filter(([, item]) => typeof item !== 'object' || item === null)
  const tables = Object.entries(value).filter(([, item]) => isTable(item))
  // Deeper values are shown as a tree.
  if (facts.length + tables.length < Object.keys(value).length) return <JsonView value={value} label={label} />
  return (
    <>
      {facts.length > 0 && <Facts facts={facts.map(([key, item]) => [key, cut(String(item))])} />}
      {tables.map(([key, rows]) => (
        <section key={key}>
          <h4 className="table-name">
            {key} · {(rows as unknown[]).length.toLocaleString('en')}
          </h4>
          <DataTable rows={rows as Record<string, unknown>[]} label={key} />
        </section>
      ))}
    </>
  )
}

const cut = (text: string) =>
  text.length > 3000
    ? `${text.slice(0, 3000)}… (${text.length.toLocaleString('en')} characters; see the message)`
    : text
const looksLikeMarkdown = (text: string) =>
  /^#{1,6} \S|^\s*[-*] \S.*\n\s*[-*] \S|\*\*\S[^*]*\*\*|^```|^\|.*\|$/m.test(text.slice(0, 5000))
const nameOf = (uri: string) => uri.split('/').at(-1) || 'resource'

function blobOf(base64: string, type: string): Blob {
  return new Blob([Uint8Array.from(atob(base64), (character) => character.charCodeAt(0))], { type })
}

function parse(text: string): unknown {
  try {
    return JSON.parse(text)
  } catch {
    return undefined
  }
}
