import { Button, Group, Text } from '@mantine/core'
import { useHotkeys } from '@mantine/hooks'
import { lazy, Suspense, useMemo, useState } from 'react'
import { brief } from '../../../src/score/words.js'
import { issuesOf } from './check'
import SchemaForm from './SchemaForm'
import { sampleOf } from './schema'

const RawJson = lazy(() => import('./RawJson'))

interface Props {
  schema: Record<string, unknown>
  onSend: (args: unknown) => void
  isRunning: boolean
}

/** A tool's form, made from its schema, or the same arguments as raw JSON. Both have the same content. */
export default function ToolForm({ schema, onSend, isRunning }: Props) {
  const [args, setArgs] = useState<unknown>({})
  const [isRaw, setRaw] = useState(false)
  const [isFormless, setFormless] = useState(false)
  const [rawProblem, setRawProblem] = useState<string>()
  const [issues, setIssues] = useState<readonly string[]>([])
  const hasFields = Object.keys((schema.properties as object | undefined) ?? {}).length > 0
  const change = (value: unknown) => {
    setArgs(value)
    // Errors are checked again as the user corrects them; a value that is typed for the first time reports none.
    if (issues.length > 0 || isRaw) setIssues(issuesOf(schema, value))
  }
  const send = (value: unknown) => {
    const found = issuesOf(schema, value)
    setIssues(found)
    if (found.length === 0) onSend(value)
  }
  const take = (value: unknown) => {
    setArgs(value)
    setIssues([])
  }
  useHotkeys([['mod+Enter', () => rawProblem === undefined && !isRunning && send(args)]], [])

  return (
    <div>
      <Fills schema={schema} onTake={take} />
      {isFormless && <p className="issue">No form is available for this schema. Enter the arguments as JSON.</p>}
      {isRaw ? (
        <Suspense fallback={<p>Loading the editor…</p>}>
          <RawJson value={args} onValue={change} onProblem={setRawProblem} />
        </Suspense>
      ) : (
        <SchemaForm
          id="tool-form"
          schema={schema}
          value={args}
          onValue={change}
          onSubmit={send}
          otherwise={null}
          onBroken={() => {
            setFormless(true)
            setRaw(true)
          }}
        >
          {hasFields ? undefined : <Text size="sm">No arguments.</Text>}
        </SchemaForm>
      )}
      {issues.length > 0 && (
        <ul className="issue" role="alert">
          {issues.slice(0, 8).map((issue) => (
            <li key={issue}>{issue}</li>
          ))}
        </ul>
      )}
      <Group mt="sm" gap="xs">
        {isRaw ? (
          <Button loading={isRunning} disabled={rawProblem !== undefined} onClick={() => send(args)}>
            Send
          </Button>
        ) : (
          <Button type="submit" form="tool-form" loading={isRunning}>
            Send
          </Button>
        )}
        <Button variant="subtle" onClick={() => setRaw(!isRaw)} disabled={rawProblem !== undefined || isFormless}>
          {isRaw ? 'As a form' : 'As JSON'}
        </Button>
        <Button
          variant="subtle"
          onClick={() => onSend(args)}
          disabled={rawProblem !== undefined || isRunning}
          title="Sends without validation, so that the server validates"
        >
          Send unchecked
        </Button>
        {rawProblem && (
          <Text size="sm" c="red">
            {rawProblem}
          </Text>
        )}
      </Group>
    </div>
  )
}

/** Arguments to fill in with one click: the author's examples, or a sample made from the schema. */
function Fills({ schema, onTake }: { schema: Record<string, unknown>; onTake: (value: unknown) => void }) {
  const examples = Array.isArray(schema.examples) ? schema.examples : []
  const sample = useMemo(() => (examples.length > 0 ? undefined : sampleOf(schema)), [schema, examples.length])
  const hasSample = typeof sample === 'object' && sample !== null && Object.keys(sample).length > 0
  if (examples.length === 0 && !hasSample) return null
  return (
    <Group gap="xs" mb="sm">
      <Text size="sm" c="dimmed">
        {examples.length > 1 ? 'Examples' : examples.length === 1 ? 'Example' : 'Start values'}
      </Text>
      {(examples.length > 0 ? examples.slice(0, 6) : [sample]).map((example) => (
        <Button
          key={JSON.stringify(example)}
          size="compact-sm"
          variant="light"
          maw="100%"
          onClick={() => onTake(example)}
        >
          {brief(example).slice(0, 44) || '{}'}
        </Button>
      ))}
    </Group>
  )
}
