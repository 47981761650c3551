import { Button, Group } from '@mantine/core'
import type { SamplingStep } from 'jexo/host'
import type { Act } from './Servers.tsx'

/** A server's request to the model. The user reads it, and allows or declines it. */
export function SamplingCard({ step, act }: { step: SamplingStep; act: Act }) {
  const { id, server, request, state, answer } = step
  const said = request.messages
    .map(({ role, content }) => `${role}: ${[content].flat().map(textIn).join(' ')}`)
    .join('\n')
  return (
    <article className={`card ${state === 'open' ? 'asks' : ''}`} aria-label="Request for the model">
      <h3>
        {server} asks for the model <span className="soft">(at most {request.maxTokens} tokens)</span>
      </h3>
      <pre>{request.systemPrompt ? `system: ${request.systemPrompt}\n${said}` : said}</pre>
      {state === 'open' && (
        <Group gap={8}>
          <Button size="xs" onClick={() => act(`steps/${id}/model`, { isAllowed: true })}>
            Let the model answer
          </Button>
          <Button
            size="xs"
            variant="subtle"
            color="red"
            onClick={() => act(`steps/${id}/model`, { isAllowed: false })}
          >
            Refuse
          </Button>
        </Group>
      )}
      {state === 'running' && <p className="soft">The model is working.</p>}
      {state === 'refused' && <p className="soft">No reply was sent.</p>}
      {state === 'withdrawn' && <p className="soft">{server} no longer waits for an answer.</p>}
      {answer && <pre>{[answer.content].flat().map(textIn).join(' ')}</pre>}
    </article>
  )
}

const textIn = (block: object) => ('text' in block ? String(block.text) : '(no text)')
