import { Button, Checkbox, Group, Select, Textarea } from '@mantine/core'
import { useState } from 'react'
import { revisions } from '../../../src/protocol/revisions.js'
import { type ClientSide, setClient, type TargetView } from '../api'

const labels: Record<keyof ClientSide['declares'], string> = {
  elicitation: 'Answers questions (elicitation)',
  sampling: 'Has a model (sampling)',
  roots: 'Has folders (roots)',
  upstream: 'Receives upstream records',
  views: 'Shows views (pages of tools)',
}

/** Settings of Loupe as the host: the capabilities it declares, its roots, and who answers questions of the server. */
export function ClientForm({ target }: { target: TargetView }) {
  const [side, setSide] = useState(target.client)
  const [roots, setRoots] = useState(
    target.client.roots.map(({ uri, name }) => (name ? `${uri} ${name}` : uri)).join('\n'),
  )
  const [problem, setProblem] = useState<string>()
  const set = (more: Partial<ClientSide>) => setSide({ ...side, ...more })
  const save = async () => {
    try {
      await setClient(target.id, { ...side, roots: rootsIn(roots) })
      setProblem(undefined)
    } catch (error) {
      setProblem((error as Error).message)
    }
  }
  const { revision: _, ...rest } = side
  return (
    <div className="client-form">
      <Select
        size="xs"
        label="Revision to request"
        data={[{ value: '', label: 'the newest' }, ...revisions.map(({ date }) => ({ value: date, label: date }))]}
        value={side.revision ?? ''}
        onChange={(date) => setSide(date ? { ...rest, revision: date } : rest)}
      />
      {(Object.keys(labels) as (keyof ClientSide['declares'])[]).map((name) => (
        <Checkbox
          key={name}
          size="xs"
          label={labels[name]}
          checked={side.declares[name]}
          onChange={(event) => set({ declares: { ...side.declares, [name]: event.currentTarget.checked } })}
        />
      ))}
      <Textarea
        size="xs"
        label="Folders"
        description="One per line: file:///home/me/hives, and a name after a space"
        autosize
        minRows={1}
        value={roots}
        onChange={(event) => setRoots(event.currentTarget.value)}
      />
      <Select
        size="xs"
        label="Who answers questions"
        data={[
          { value: 'person', label: 'you, on a card in the score' },
          { value: 'accept', label: 'accepting, with the defaults' },
          { value: 'decline', label: 'declining' },
          { value: 'cancel', label: 'cancelling' },
        ]}
        value={side.questions}
        onChange={(value) => set({ questions: (value ?? 'person') as ClientSide['questions'] })}
      />
      <Select
        size="xs"
        label="Who replies for the model"
        data={[
          { value: 'person', label: 'you, on a card in the score' },
          { value: 'stand-in', label: 'the stand-in: it repeats the last message' },
          { value: 'canned', label: 'the text below, each time' },
        ]}
        value={side.model}
        onChange={(value) => set({ model: (value ?? 'person') as ClientSide['model'] })}
      />
      {side.model === 'canned' && (
        <Textarea
          size="xs"
          label="Reply of the model"
          autosize
          value={side.cannedReply}
          onChange={(event) => set({ cannedReply: event.currentTarget.value })}
        />
      )}
      <Group gap="xs" mt="xs">
        <Button size="compact-sm" onClick={() => void save()}>
          Use this
        </Button>
        <small>Changing the revision or the capabilities reconnects.</small>
      </Group>
      {problem !== undefined && (
        <p className="issue" role="alert">
          {problem}
        </p>
      )}
    </div>
  )
}

function rootsIn(text: string): ClientSide['roots'] {
  const lines = text
    .split('\n')
    .map((line) => line.trim())
    .filter(Boolean)
  return lines.map((line) => {
    const [uri = '', ...name] = line.split(/\s+/)
    return name.length > 0 ? { uri, name: name.join(' ') } : { uri }
  })
}
