import { Button, Group } from '@mantine/core'
import { lazy, Suspense, useRef, useState } from 'react'
import { type Asked, ask, cancel } from '../api'
import { Json } from '../Json'
import { duration } from '../score/ScoreLine'
import { Answer } from './Answer'
import { FieldsForm } from './FieldsForm'
import { type DeskPart, effectLabels } from './parts'

const ToolForm = lazy(() => import('./ToolForm'))

export interface Outcome {
  asked: Asked
  tookMs: number
}

/** One part on the desk: what it is, its form, its answer. */
export function PartDesk({ part, onBack }: { part: DeskPart; onBack: () => void }) {
  const [outcome, setOutcome] = useState<Outcome>()
  const [running, setRunning] = useState<string>()
  const [isDefinitionShown, setDefinitionShown] = useState(false)
  const sent = useRef(0)

  const send = async (method: string, params: object) => {
    const key = `${part.key} ${++sent.current} ${crypto.randomUUID()}`
    setRunning(key)
    const startedAt = performance.now()
    const asked = await ask(part.target, key, method, params)
    setOutcome({ asked, tookMs: performance.now() - startedAt })
    setRunning(undefined)
  }

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
        <div className="part-head">
          <h2>{part.title}</h2>
          {part.kind === 'tool' && (
            <span className="effect" data-effect={part.effect}>
              {effectLabels[part.effect]}
            </span>
          )}
          <p>{part.about || 'No description: a model will not know when to use it.'}</p>
        </div>
        {isDefinitionShown && <Json value={part.definition} label={`Definition of ${part.title}`} />}
        <div className="part-form">
          <Suspense fallback={<p>Loading the form…</p>}>
            <FormOf part={part} onSend={send} isRunning={running !== undefined} />
          </Suspense>
          {running !== undefined && (
            <Button mt="sm" variant="default" onClick={() => void cancel(part.target, running)}>
              Cancel
            </Button>
          )}
        </div>
        {outcome && !running && <Answer outcome={outcome} said={duration(outcome.tookMs)} />}
      </div>
    </aside>
  )
}

interface FormProps {
  part: DeskPart
  onSend: (method: string, params: object) => void
  isRunning: boolean
}

function FormOf({ part, onSend, isRunning }: FormProps) {
  if (part.kind === 'tool') {
    const call = (args: unknown) => onSend('tools/call', { name: part.definition.name, arguments: args })
    return <ToolForm schema={part.definition.inputSchema} onSend={call} isRunning={isRunning} />
  }
  if (part.kind === 'resource') {
    return (
      <Button loading={isRunning} onClick={() => onSend('resources/read', { uri: part.definition.uri })}>
        Read
      </Button>
    )
  }
  return <FieldsForm part={part} onSend={onSend} isRunning={isRunning} />
}
