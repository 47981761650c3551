import { Button, Group } from '@mantine/core'
import { lazy, Suspense, useEffect, useRef, useState } from 'react'
import { uiOf } from '../../../src/protocol/ui.js'
import { type Asked, ask, cancel } from '../api'
import type { Known } from '../bench/useBench'
import { JsonView } from '../result/JsonView'
import { ResultPanel } from '../result/ResultPanel'
import { duration } from '../score/times'
import type { ShownCall } from '../view/ViewPanel'
import { CopyMenu } from './CopyMenu'
import { FieldsForm } from './FieldsForm'
import { type DeskPart, effectLabels } from './parts'
import { ResourceForm } from './ResourceForm'
import { Running } from './Running'

const ToolForm = lazy(() => import('./ToolForm'))
const ViewPanel = lazy(() => import('../view/ViewPanel'))

/** A request that was sent, and its result. */
export interface Outcome {
  method: string
  params: object
  asked: Asked
  tookMs: number
  /** A unique key. */
  key: string
}
export type Send = (method: string, params: object) => void

interface Props {
  part: DeskPart
  known: Known
  onBack: () => void
}

/** One part on the desk: its description, its form, and its results. */
export function PartDesk({ part, known, onBack }: Props) {
  const { outcomes, running, send, stop, follow } = useRequests(part)
  const [isDefinitionShown, setDefinitionShown] = useState(false)
  const last = outcomes.at(-1)
  const result = useRef<HTMLDivElement>(null)
  // A long form must not hide what came of it.
  // biome-ignore lint/correctness/useExhaustiveDependencies: scrolls to each new result
  useEffect(() => {
    result.current?.scrollIntoView({ block: 'nearest' })
  }, [outcomes])
  const isGone = part.mark?.mark === 'gone'
  const shown = shownCall(running, last)
  const proxy = known.bench.viewProxy
  return (
    <aside className="desk" aria-label={`Part ${part.title}`}>
      <div className="desk-scroll">
        <Group justify="space-between">
          <Button size="compact-sm" variant="subtle" onClick={onBack}>
            ← All parts
          </Button>
          <Button size="compact-sm" variant="subtle" onClick={() => setDefinitionShown(!isDefinitionShown)}>
            {isDefinitionShown ? 'Hide definition' : 'Definition'}
          </Button>
        </Group>
        <Head part={part} />
        {isDefinitionShown && <JsonView value={part.definition} label={`Definition of ${part.title}`} />}
        {!isGone && (
          <div className="part-form">
            <Suspense fallback={<p>Loading the form…</p>}>
              <FormOf part={part} known={known} onSend={send} isRunning={running !== undefined} />
            </Suspense>
          </div>
        )}
        {running && <Running target={part.target} lines={known.lines} since={running.since} onCancel={stop} />}
        {part.kind === 'tool' && viewOf(part) && shown && proxy !== undefined && (
          <Suspense fallback={<p>Loading the view…</p>}>
            <ViewPanel part={part} call={shown} known={known} proxy={proxy} />
          </Suspense>
        )}
        {last && !running && (
          <div ref={result}>
            <ResultPanel key={outcomes.length} asked={last.asked} said={duration(last.tookMs)} onFollow={follow} />
            <Group gap="xs" mt="sm">
              <Button size="compact-sm" variant="default" onClick={() => send(last.method, last.params)}>
                Repeat
              </Button>
              <CopyMenu target={part.target} outcome={last} />
            </Group>
          </div>
        )}
      </div>
    </aside>
  )
}

const viewOf = ({ definition }: Extract<DeskPart, { kind: 'tool' }>) => uiOf(definition).resourceUri

/** The call that the view belongs to: the running one, or the last. */
function shownCall(
  running: { key: string; method: string; params: object } | undefined,
  last: Outcome | undefined,
): ShownCall | undefined {
  const call = running ?? last
  if (call?.method !== 'tools/call') return undefined
  const { arguments: input = {} } = call.params as { arguments?: Record<string, unknown> }
  const asked = running ? undefined : last?.asked
  return {
    key: call.key,
    input,
    result: asked && 'result' in asked ? asked.result : undefined,
    failure: asked && 'error' in asked ? asked.error.message : undefined,
  }
}

function Head({ part }: { part: DeskPart }) {
  const { mark, cost, definition } = part
  return (
    <div className="part-head">
      <h2>{part.title}</h2>
      <p className="part-facts">
        {part.kind === 'tool' && (
          <span className="effect" data-effect={part.effect}>
            {effectLabels[part.effect]}
          </span>
        )}
        {definition.title && definition.title !== part.title && <span>{definition.title}</span>}
        {cost !== undefined && <span>about {cost} tokens of a model's context</span>}
        {mark && (
          <em className="mark" data-mark={mark.mark}>
            {mark.mark}
            {mark.fields.length > 0 && `: ${mark.fields.join(', ')}`}
          </em>
        )}
      </p>
      <p>{part.about || 'No description: models will not know when to use it.'}</p>
      <Findings part={part} />
    </div>
  )
}

/** Findings of `jexo vet` for the part, with their fixes. */
function Findings({ part: { findings } }: { part: DeskPart }) {
  if (findings.length === 0) return null
  return (
    <details className="findings">
      <summary>{findings.length === 1 ? '1 finding of vet' : `${findings.length} findings of vet`}</summary>
      <ul>
        {findings.map(({ rule, severity, problem: what, fix }) => (
          <li key={`${rule} ${what}`}>
            <b>{severity}</b> {what}. <span>Fix: {fix}.</span>
          </li>
        ))}
      </ul>
    </details>
  )
}

/** Sends requests of a part, one at a time, and keeps the results. */
function useRequests(part: DeskPart) {
  const [outcomes, setOutcomes] = useState<readonly Outcome[]>([])
  const [running, setRunning] = useState<{ key: string; since: number; method: string; params: object }>()
  const isHere = useRef(true)
  useEffect(() => {
    isHere.current = true
    return () => {
      isHere.current = false
    }
  }, [])
  const send = async (method: string, params: object) => {
    const key = `${part.key} ${crypto.randomUUID()}`
    setRunning({ key, since: performance.timeOrigin + performance.now(), method, params })
    const startedAt = performance.now()
    const asked = await ask(part.target, key, method, params)
    if (!isHere.current) return
    const tookMs = performance.now() - startedAt
    setOutcomes((before) => [...before.slice(-9), { method, params, asked, tookMs, key }])
    setRunning(undefined)
  }
  return {
    outcomes,
    running,
    send: (method: string, params: object) => void send(method, params),
    stop: () => void (running && cancel(part.target, running.key)),
    /** Opens the links of a result in its place. */
    follow: (uri: string) => void send('resources/read', { uri }),
  }
}

interface FormProps {
  part: DeskPart
  known: Known
  onSend: Send
  isRunning: boolean
}

function FormOf({ part, known, onSend, isRunning }: FormProps) {
  if (part.kind === 'tool') {
    const call = (args: unknown) => onSend('tools/call', { name: part.definition.name, arguments: args })
    return <ToolForm schema={part.definition.inputSchema} onSend={call} isRunning={isRunning} />
  }
  const target = known.bench.targets.find(({ id }) => id === part.target)
  const canSubscribe = target?.capabilities?.resources?.subscribe === true
  if (part.kind === 'resource')
    return <ResourceForm part={part} canSubscribe={canSubscribe} onSend={onSend} isRunning={isRunning} />
  return <FieldsForm part={part} onSend={onSend} isRunning={isRunning} />
}
