import { Button, Group } from '@mantine/core'
import Form from '@rjsf/mantine'
import type { RJSFSchema } from '@rjsf/utils'
import validator from '@rjsf/validator-ajv8'
import type { QuestionStep } from 'jexo/host'
import { useState } from 'react'
import { Boundary } from './Boundary.tsx'
import type { Act } from './Servers.tsx'

/** A question of a server to the user: a form to fill in, or a page to visit. */
export function QuestionCard({ step, act }: { step: QuestionStep; act: Act }) {
  const { id, server, question, state, answer } = step
  const [formData, setFormData] = useState<unknown>(() =>
    question.kind === 'form' ? unticked(question.schema) : {},
  )
  const give = (given: object) => act(`steps/${id}/answer`, { answer: given })
  if (state !== 'open')
    return (
      <article className="card" aria-label="Question">
        <h3>{question.message}</h3>
        <p className="soft">
          {state === 'withdrawn'
            ? `${server} no longer waits for an answer.`
            : `You answered ${server}: ${answerText(answer)}`}
        </p>
      </article>
    )
  return (
    <article className="card asks" aria-label="Question">
      <h3>{question.message}</h3>
      <p className="soft">{server} asks. It gets to see what you fill in.</p>
      {question.kind === 'form' ? (
        <Boundary
          instead={(reason) => (
            <>
              <p className="fault">
                This page cannot draw the form that {server} asks with: {reason.split('\n')[0]}
              </p>
              <pre>{JSON.stringify(question.schema, null, 2)}</pre>
              <Group gap={8}>
                <Button size="xs" variant="light" onClick={() => give({ action: 'decline' })}>
                  Decline
                </Button>
                <Button size="xs" variant="subtle" color="gray" onClick={() => give({ action: 'cancel' })}>
                  Cancel
                </Button>
              </Group>
            </>
          )}
        >
          <Form
            schema={question.schema as RJSFSchema}
            validator={validator}
            showErrorList={false}
            noHtml5Validate
            formData={formData}
            onChange={(event) => setFormData(event.formData)}
            onSubmit={(event) => give({ action: 'accept', content: event.formData ?? {} })}
          >
            <Choices accept="Answer" give={give} isSubmit />
          </Form>
        </Boundary>
      ) : (
        <>
          <p>
            It wants you to visit <strong>{new URL(question.url).host}</strong>:{' '}
            <a href={question.url} target="_blank" rel="noreferrer noopener">
              {question.url}
            </a>
          </p>
          <Choices accept="I will visit it" give={give} />
        </>
      )}
    </article>
  )
}

/** An unchecked box means no; without a default it would send nothing. */
function unticked(schema: Readonly<Record<string, unknown>>): Record<string, unknown> {
  const properties = Object.entries(
    (schema.properties ?? {}) as Record<string, { type?: unknown; default?: unknown }>,
  )
  return Object.fromEntries(
    properties
      .filter(([, field]) => field.type === 'boolean')
      .map(([name, field]) => [name, field.default ?? false]),
  )
}

function Choices({
  accept,
  give,
  isSubmit = false,
}: {
  accept: string
  give: (answer: object) => void
  isSubmit?: boolean
}) {
  return (
    <Group gap={8} mt={8}>
      <Button
        size="xs"
        type={isSubmit ? 'submit' : 'button'}
        onClick={() => !isSubmit && give({ action: 'accept' })}
      >
        {accept}
      </Button>
      <Button size="xs" type="button" variant="light" onClick={() => give({ action: 'decline' })}>
        Decline
      </Button>
      <Button size="xs" type="button" variant="subtle" color="gray" onClick={() => give({ action: 'cancel' })}>
        Cancel
      </Button>
    </Group>
  )
}

const answerText = (answer: QuestionStep['answer']) => {
  if (answer?.action !== 'accept') return `${answer?.action ?? 'nothing'}.`
  return answer.content && Object.keys(answer.content).length > 0 ? JSON.stringify(answer.content) : 'yes.'
}
