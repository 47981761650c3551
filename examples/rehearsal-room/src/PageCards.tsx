import { Button, Group } from '@mantine/core'
import type { PageCallStep, PageContextStep, PageMessageStep } from 'jexo/host'
import type { Act } from './Servers.tsx'

/** A call that the user made in a view. */
export function PageCallCard({
  step: { tool, server, state, text, isError, arguments: given },
}: {
  step: PageCallStep
}) {
  return (
    <article className={`card ${isError ? 'failed' : ''}`} aria-label={`Call of ${tool} in the page`}>
      <details>
        <summary>
          <b>{tool}</b>{' '}
          <span className="soft">
            at {server}, called in the page, {isError ? 'failed' : state === 'running' ? 'runs' : 'answered'}
          </span>
        </summary>
        <pre>{JSON.stringify(given, null, 2)}</pre>
        {text !== undefined && <pre>{text}</pre>}
      </details>
    </article>
  )
}

/** A message from a view. It goes to the model only after the user has read it. */
export function PageMessageCard({ step: { id, tool, text, state }, act }: { step: PageMessageStep; act: Act }) {
  if (state !== 'open')
    return state === 'sent' ? null : (
      <div className="note soft">You did not send the message of the page of {tool}.</div>
    )
  return (
    <article className="card asks" aria-label="Message of a page">
      <h3>The page of {tool} wants to say</h3>
      <pre>{text}</pre>
      <Group gap={8}>
        <Button size="xs" onClick={() => act(`steps/${id}/page/decide`, { isSent: true })}>
          Send it
        </Button>
        <Button
          size="xs"
          variant="subtle"
          color="red"
          onClick={() => act(`steps/${id}/page/decide`, { isSent: false })}
        >
          Don't send it
        </Button>
      </Group>
    </article>
  )
}

export function PageContextCard({ step: { tool, text } }: { step: PageContextStep }) {
  return (
    <div className="note soft">
      With your next message, the model hears from the page of {tool}: {text.slice(0, 500)}
    </div>
  )
}
