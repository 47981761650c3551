import { Button } from '@mantine/core'
import { useState } from 'react'
import type { ContentBlock, ResourceContents } from '../../../src/protocol/types.js'
import type { Asked } from '../api'
import { Block, Blocks, Contents, type OnFollow, Value } from './Content'
import { JsonView } from './JsonView'

interface Props {
  asked: Asked
  /** Duration and size. */
  said: string
  onFollow: OnFollow | undefined
}

/** A result as a host would show it, and as raw JSON. */
export function ResultPanel({ asked, said, onFollow }: Props) {
  const [isRaw, setRaw] = useState(false)
  const isFault = 'error' in asked || asked.result.isError === true
  return (
    <section className="result" data-fault={isFault || undefined} aria-label="Result" aria-live="polite">
      <h3>
        {headOf(asked)}
        <small>{said}</small>
        <Button size="compact-xs" variant="subtle" ml="auto" onClick={() => setRaw(!isRaw)}>
          {isRaw ? 'Readable' : 'Raw'}
        </Button>
      </h3>
      {'issues' in asked && asked.issues && <Fit issues={asked.issues} />}
      {isRaw ? (
        <JsonView value={'error' in asked ? asked.error : asked.result} label="Raw result" />
      ) : (
        <Readable asked={asked} onFollow={onFollow} />
      )}
    </section>
  )
}

function headOf(asked: Asked): string {
  if ('error' in asked) {
    const { code } = asked.error
    if (code === 'cancelled') return 'Cancelled'
    return typeof code === 'number' ? `Refused (${code})` : 'No response'
  }
  return asked.result.isError === true ? 'The tool returned an error' : 'Result'
}

function Fit({ issues }: { issues: readonly string[] }) {
  if (issues.length === 0) return <p className="fit">✓ Matches its output schema</p>
  return (
    <div className="issue" role="alert">
      Does not match its output schema:
      <ul>
        {issues.slice(0, 20).map((issue) => (
          <li key={issue}>{issue}</li>
        ))}
      </ul>
      {issues.length > 20 && <p>and {issues.length - 20} more</p>}
    </div>
  )
}

function Readable({ asked, onFollow }: Pick<Props, 'asked' | 'onFollow'>) {
  if ('error' in asked) {
    return (
      <>
        <pre className="text">{asked.error.message}</pre>
        <Pages data={asked.error.data} />
        {asked.error.data !== undefined && <JsonView value={asked.error.data} label="Error data" />}
      </>
    )
  }
  const { structuredContent, content, contents, messages, description } = asked.result as {
    structuredContent?: Record<string, unknown>
    content?: ContentBlock[]
    contents?: ResourceContents[]
    messages?: { role: string; content: ContentBlock }[]
    description?: string
  }
  if (structuredContent) {
    // The first text block repeats the structured content.
    return (
      <>
        <Value value={structuredContent} label="Structured content" />
        <Blocks blocks={content?.slice(1) ?? []} onFollow={onFollow} />
      </>
    )
  }
  if (content) return content.length > 0 ? <Blocks blocks={content} onFollow={onFollow} /> : <p>An empty result.</p>
  if (contents) return contents.map((item) => <Contents key={item.uri} contents={item} />)
  if (messages) return <Conversation messages={messages} description={description} onFollow={onFollow} />
  return <JsonView value={asked.result} label="Result" />
}

/** Pages that must be visited before the call is repeated (-32042). */
function Pages({ data }: { data: unknown }) {
  const list = (data as { elicitations?: { url?: unknown; message?: unknown }[] } | undefined)?.elicitations
  const pages = Array.isArray(list) ? list.filter(({ url }) => typeof url === 'string') : []
  return pages.map(({ url, message }) => (
    <p key={String(url)}>
      {String(message ?? 'Visit')}:{' '}
      {/^https?:/.test(String(url)) ? (
        <a href={String(url)} target="_blank" rel="noreferrer noopener">
          {String(url)}
        </a>
      ) : (
        <code>{String(url)}</code>
      )}
    </p>
  ))
}

interface ConversationProps {
  messages: readonly { role: string; content: ContentBlock }[]
  description: string | undefined
  onFollow: OnFollow | undefined
}

/** A prompt as the conversation that it produces. */
function Conversation({ messages, description, onFollow }: ConversationProps) {
  return (
    <div className="conversation">
      {description !== undefined && <p>{description}</p>}
      {messages.map((message, index) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: messages have no names, and a result does not change
        <article key={`${index}-${message.role}`} data-role={message.role} aria-label={message.role}>
          <h4>{message.role}</h4>
          <Block block={message.content} onFollow={onFollow} />
        </article>
      ))}
    </div>
  )
}
