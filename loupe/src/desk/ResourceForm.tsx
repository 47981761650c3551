import { Button, Group } from '@mantine/core'
import { useState } from 'react'
import { ask } from '../api'
import type { Send } from './PartDesk'
import type { DeskPart } from './parts'

interface Props {
  part: Extract<DeskPart, { kind: 'resource' }>
  canSubscribe: boolean
  onSend: Send
  isRunning: boolean
}

/** Subscribed resources, by target and URI. A subscription outlives the desk where it was made. */
const subscribed = new Set<string>()

/** Reads a resource, and subscribes to it. */
export function ResourceForm({ part, canSubscribe, onSend, isRunning }: Props) {
  return (
    <Group gap="xs">
      <Button loading={isRunning} onClick={() => onSend('resources/read', { uri: part.definition.uri })}>
        Read
      </Button>
      {canSubscribe && <Subscribe target={part.target} uri={part.definition.uri} />}
    </Group>
  )
}

/** Subscribes to a resource, or unsubscribes. */
export function Subscribe({ target, uri }: { target: string; uri: string }) {
  const key = `${target} ${uri}`
  const [isOn, setOn] = useState(subscribed.has(key))
  const [problem, setProblem] = useState<string>()
  const toggle = async () => {
    const asked = await ask(target, crypto.randomUUID(), isOn ? 'resources/unsubscribe' : 'resources/subscribe', {
      uri,
    })
    if ('error' in asked) return setProblem(asked.error.message)
    setProblem(undefined)
    if (isOn) subscribed.delete(key)
    else subscribed.add(key)
    setOn(!isOn)
  }
  return (
    <>
      <Button variant="default" onClick={() => void toggle()} aria-pressed={isOn}>
        {isOn ? 'Unsubscribe' : 'Subscribe'}
      </Button>
      {isOn && <small>Changes appear in the score.</small>}
      {problem !== undefined && <p className="issue">{problem}</p>}
    </>
  )
}
