import { Button, Group, JsonInput, Progress } from '@mantine/core'
import type { CallStep } from 'jexo/host'
import { useState } from 'react'
import { PageView } from './PageView.tsx'
import type { Act } from './Servers.tsx'
import { ask } from './useRoom.ts'

const states: Record<CallStep['state'], string> = {
  proposed: 'proposed, not called yet',
  running: 'runs',
  done: 'answered',
  refused: 'refused by you',
  cancelled: 'cancelled by you',
  lost: 'no answer',
}

const taskStates: Record<NonNullable<CallStep['task']>['status'], string> = {
  working: 'working',
  input_required: 'waiting for an answer',
  completed: 'completed',
  failed: 'failed',
  cancelled: 'cancelled',
}

/** A call from proposal to result. Arguments can be edited before it is approved. */
export function CallCard({ step, act, proxy }: { step: CallStep; act: Act; proxy: string | undefined }) {
  const { id, server, tool, state, reason, progress, task, logs, tookMs, isError, approved } = step
  const isFailed = isError === true || state === 'lost'
  return (
    <article
      className={`card ${state === 'proposed' ? 'asks' : ''} ${isFailed ? 'failed' : ''}`}
      aria-label={`Call of ${tool}`}
    >
      <h3>
        {tool}{' '}
        <span className="soft">
          at {server}, {isFailed && state === 'done' ? 'refused by the tool' : states[state]}
        </span>
        {tookMs !== undefined && <span className="soft"> after {tookMs} ms</span>}
        {approved === 'conversation' && <span className="soft">, approved for this conversation</span>}
      </h3>
      {reason && <p className="soft">{reason}</p>}
      {state === 'proposed' ? <Proposal step={step} act={act} /> : <Sent step={step} />}
      {task && (
        <p className="soft">
          Runs as a task, {taskStates[task.status]}
          {task.message && state !== 'done' && !progress?.message ? `: ${task.message}` : ''}
        </p>
      )}
      {state === 'running' && (
        <Group gap={8} wrap="nowrap">
          <Progress
            flex={1}
            value={progress?.total ? (progress.done / progress.total) * 100 : 100}
            animated={!progress?.total}
            aria-label="Progress"
          />
          <span className="soft">{progressText(progress)}</span>
          <Button size="compact-xs" variant="light" color="red" onClick={() => act(`steps/${id}/cancel`)}>
            Cancel
          </Button>
        </Group>
      )}
      {logs.length > 0 && (
        <details>
          <summary className="soft">{logs.length === 1 ? '1 log message' : `${logs.length} log messages`}</summary>
          <pre>{logs.map(({ level, text }) => `${level}: ${text}`).join('\n')}</pre>
        </details>
      )}
      {step.view !== undefined && proxy !== undefined && state !== 'proposed' && state !== 'refused' && (
        <PageView step={step} proxy={proxy} />
      )}
      {step.text !== undefined && <Answer step={step} />}
    </article>
  )
}

const progressText = (progress: CallStep['progress']) => {
  if (!progress) return 'at work'
  const { done, total, message } = progress
  return `${done}${total === undefined ? '' : ` of ${total}`}${message ? `, ${message}` : ''}`
}

function Proposal({ step, act }: { step: CallStep; act: Act }) {
  const [text, setText] = useState(JSON.stringify(step.arguments, null, 2))
  const given = parsed(text)
  const decide = (decision: string) => act(`steps/${step.id}/decide`, { decision, arguments: given })
  return (
    <>
      <JsonInput
        size="xs"
        label="Arguments"
        autosize
        minRows={2}
        maxRows={12}
        value={text}
        onChange={setText}
        error={given ? undefined : 'This is not a JSON object.'}
      />
      <Group gap={8} mt={8}>
        <Button size="xs" disabled={!given} onClick={() => decide('once')}>
          Approve once
        </Button>
        <Button size="xs" variant="light" disabled={!given} onClick={() => decide('conversation')}>
          For this conversation
        </Button>
        <Button
          size="xs"
          variant="subtle"
          color="red"
          onClick={() => act(`steps/${step.id}/decide`, { decision: 'refuse' })}
        >
          Refuse
        </Button>
      </Group>
    </>
  )
}

function parsed(text: string): Record<string, unknown> | undefined {
  try {
    const value: unknown = JSON.parse(text)
    return typeof value === 'object' && value !== null && !Array.isArray(value)
      ? (value as Record<string, unknown>)
      : undefined
  } catch {
    return undefined
  }
}

function Sent({ step }: { step: CallStep }) {
  const request = { method: 'tools/call', params: { name: step.tool, arguments: step.arguments } }
  return (
    <details>
      <summary className="soft">the request</summary>
      <pre>{JSON.stringify(request, null, 2)}</pre>
    </details>
  )
}

function Answer({ step }: { step: CallStep }) {
  const [whole, setWhole] = useState<string>()
  const open = () =>
    ask<CallStep>(`steps/${step.id}`)
      .then(({ result }) => setWhole(JSON.stringify(result, null, 2) ?? 'there is none'))
      .catch((error: Error) => setWhole(error.message))
  return (
    <details onToggle={({ currentTarget }) => currentTarget.open && whole === undefined && void open()}>
      <summary className={step.isError ? 'fault' : 'soft'}>
        {step.isError ? `the result: ${brief(step.text ?? '')}` : 'the result'}
      </summary>
      <pre>{whole === undefined ? 'loading…' : cut(whole)}</pre>
    </details>
  )
}

const mostShown = 200_000
const cut = (text: string) =>
  text.length > mostShown ? `${text.slice(0, mostShown)}\n… ${text.length - mostShown} characters more` : text
const brief = (text: string) => (text.length > 160 ? `${text.slice(0, 160)}…` : text)
