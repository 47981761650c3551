import { Button } from '@mantine/core'
import { useState } from 'react'
import type { ContentBlock, ResourceContents } from '../../../src/protocol/types.js'
import { Json } from '../Json'
import type { Outcome } from './PartDesk'

/** An answer as a host would show it, and as it came. */
export function Answer({ outcome, said }: { outcome: Outcome; said: string }) {
  const [isRaw, setRaw] = useState(false)
  const { asked } = outcome
  const isFault = 'error' in asked || asked.result.isError === true
  return (
    <section className="answer" data-fault={isFault || undefined} aria-label="Answer" aria-live="polite">
      <h3>
        {headOf(asked)}
        <small>{said}</small>
        <Button size="compact-xs" variant="subtle" ml="auto" onClick={() => setRaw(!isRaw)}>
          {isRaw ? 'Readable' : 'As it came'}
        </Button>
      </h3>
      {isRaw ? <Json value={asked} label="Answer as it came" /> : <Readable asked={asked} />}
    </section>
  )
}

function headOf(asked: Outcome['asked']): string {
  if ('error' in asked) return asked.error.code === 'cancelled' ? 'Cancelled' : `Refused (${asked.error.code})`
  return asked.result.isError === true ? 'The tool says no' : 'Answer'
}

function Readable({ asked }: { asked: Outcome['asked'] }) {
  if ('error' in asked) {
    return (
      <>
        <pre className="text">{asked.error.message}</pre>
        {asked.error.data !== undefined && <Json value={asked.error.data} label="Data of the error" />}
      </>
    )
  }
  const { structuredContent, content, contents, messages } = asked.result as {
    structuredContent?: Record<string, unknown>
    content?: ContentBlock[]
    contents?: ResourceContents[]
    messages?: { role: string; content: ContentBlock }[]
  }
  // Beside structured content, the first block says the same as text.
  const blocks = structuredContent ? content?.slice(1) : content
  // biome-ignore lint/suspicious/noArrayIndexKey: blocks have no names, and an answer does not change
  const shown = blocks?.map((block, index) => <Block key={`${index}-${block.type}`} block={block} />)
  if (structuredContent)
    return (
      <>
        <Structured value={structuredContent} />
        {shown}
      </>
    )
  if (shown) return shown
  if (contents) return contents.map((item) => <Contents key={item.uri} contents={item} />)
  if (messages) {
    return messages.map((message, index) => (
      // biome-ignore lint/suspicious/noArrayIndexKey: messages have no names, and an answer does not change
      <div key={`${index}-${message.role}`}>
        <b>{message.role}</b>
        <Block block={message.content} />
      </div>
    ))
  }
  return <Json value={asked.result} label="Result" />
}

/** A flat object is read best as facts; anything deeper as JSON. */
function Structured({ value }: { value: Record<string, unknown> }) {
  const facts = Object.entries(value)
  if (facts.some(([, item]) => typeof item === 'object' && item !== null))
    return <Json value={value} label="Structured content" />
  return (
    <dl className="facts">
      {facts.map(([key, item]) => (
        <div key={key} style={{ display: 'contents' }}>
          <dt>{key}</dt>
          <dd>{String(item)}</dd>
        </div>
      ))}
    </dl>
  )
}

function Block({ block }: { block: ContentBlock }) {
  switch (block.type) {
    case 'text':
      return <Text text={block.text} />
    case 'image':
      return <img src={`data:${block.mimeType};base64,${block.data}`} alt="Content of the answer" />
    case 'audio':
      // biome-ignore lint/a11y/useMediaCaption: a server sends no captions
      return <audio controls src={`data:${block.mimeType};base64,${block.data}`} />
    case 'resource':
      return <Contents contents={block.resource} />
    case 'resource_link':
      return (
        <pre className="text">
          {block.title ?? block.name}: {block.uri}
        </pre>
      )
    default:
      return <Json value={block} label="Content" />
  }
}

function Contents({ contents }: { contents: ResourceContents }) {
  if (contents.text !== undefined) return <Text text={contents.text} />
  if (contents.mimeType?.startsWith('image/') && contents.mimeType !== 'image/svg+xml') {
    return <img src={`data:${contents.mimeType};base64,${contents.blob}`} alt={contents.uri} />
  }
  return (
    <pre className="text">{`${contents.mimeType ?? 'bytes'}, ${Math.floor(((contents.blob ?? '').length * 3) / 4)} bytes`}</pre>
  )
}

function Text({ text }: { text: string }) {
  const parsed = /^\s*[[{]/.test(text) ? parse(text) : undefined
  return parsed === undefined ? (
    <pre className="text">{text}</pre>
  ) : (
    <Json value={parsed} label="Text that is JSON" />
  )
}

function parse(text: string): unknown {
  try {
    return JSON.parse(text)
  } catch {
    return undefined
  }
}
