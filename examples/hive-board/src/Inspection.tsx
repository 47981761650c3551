import { Button, Group, Modal, TextInput } from '@mantine/core'
import Form from '@rjsf/mantine'
import type { RJSFSchema } from '@rjsf/utils'
import validator from '@rjsf/validator-ajv8'
import { useState } from 'react'
import type { Asked } from './Board.tsx'

/** Asks for the day, then calls the tool, which asks for missing values with a form of its own. */
export function Inspection({
  hive,
  asked,
  record,
  close,
}: {
  hive: string
  asked: Asked | undefined
  record: (on: string) => Promise<{ text: string; isError: boolean }>
  close: () => void
}) {
  const [on, setOn] = useState('2026-06-02')
  const [state, setState] = useState<'day' | 'running' | { text: string; isError: boolean }>('day')
  const begin = async () => {
    setState('running')
    setState(await record(on))
  }
  return (
    <Modal opened onClose={close} title={`Inspection of ${hive}`} centered size="md">
      {state === 'day' && (
        <form
          onSubmit={(event) => {
            event.preventDefault()
            void begin()
          }}
        >
          <TextInput
            type="date"
            label="Day of the inspection"
            required
            value={on}
            onChange={({ currentTarget }) => setOn(currentTarget.value)}
          />
          <Button type="submit" mt={10}>
            Continue
          </Button>
        </form>
      )}
      {state === 'running' && !asked && <p className="soft">The server is working.</p>}
      {state === 'running' && asked && <Question key={asked.question.message} asked={asked} />}
      {typeof state === 'object' && (
        <>
          <p className={state.isError ? 'fault' : ''} role="status">
            {state.isError ? state.text : `Recorded: ${state.text}`}
          </p>
          <Button onClick={close}>Close</Button>
        </>
      )}
    </Modal>
  )
}

function Question({ asked: { question, answer } }: { asked: Asked }) {
  const [formData, setFormData] = useState<unknown>(question.kind === 'form' ? unticked(question.schema) : {})
  if (question.kind === 'url')
    return (
      <>
        <p>{question.message}</p>
        <p className="soft">This board cannot send you to another page: {question.url}</p>
        <Button onClick={() => answer({ action: 'decline' })}>Decline</Button>
      </>
    )
  return (
    <>
      <p>{question.message}</p>
      <Form
        schema={question.schema as RJSFSchema}
        validator={validator}
        showErrorList={false}
        noHtml5Validate
        formData={formData}
        onChange={(event) => setFormData(event.formData)}
        onSubmit={(event) =>
          answer({ action: 'accept', content: (event.formData ?? {}) as Record<string, unknown> })
        }
      >
        <Group gap={8} mt={8}>
          <Button type="submit">Record</Button>
          <Button type="button" variant="subtle" color="gray" onClick={() => answer({ action: 'decline' })}>
            Decline
          </Button>
        </Group>
      </Form>
    </>
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
