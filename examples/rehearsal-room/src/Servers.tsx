import { Badge, Button, Checkbox, Group, TextInput } from '@mantine/core'
import { useEffect, useState } from 'react'
import type { RoomView, ServerView } from '../backend/room.ts'
import { ask } from './useRoom.ts'

export type Act = (path: string, body?: object) => void

/** The attached servers: their parts, the tools that the model sees, and their state. */
export function Servers({
  servers,
  trouble,
  toStart,
  signIns,
  act,
}: {
  servers: readonly ServerView[]
  trouble?: string | undefined
  toStart?: RoomView['toStart']
  signIns: RoomView['signIns']
  act: Act
}) {
  const [text, setText] = useState('')
  const on = servers.flatMap(({ tools, state }) =>
    state === 'open' ? tools.filter(({ isOn, isForPagesOnly }) => isOn && !isForPagesOnly) : [],
  )
  return (
    <aside className="servers" aria-label="Servers">
      <h2>Servers</h2>
      <p className="soft">{on.length === 1 ? 'The model sees 1 tool.' : `The model sees ${on.length} tools.`}</p>
      <Told isChanged={on.map(({ name }) => name).join()} />
      <form
        onSubmit={(event) => {
          event.preventDefault()
          if (text.trim() === '') return
          act('servers', { text })
          setText('')
        }}
      >
        <TextInput
          size="xs"
          label="Attach a server"
          placeholder="kit file, URL, exec:…, or host configuration"
          value={text}
          onChange={({ currentTarget }) => setText(currentTarget.value)}
          rightSectionWidth={62}
          rightSection={
            <Button size="compact-xs" type="submit">
              Attach
            </Button>
          }
        />
      </form>
      {toStart && (
        <div className="confirm" role="alertdialog" aria-label="Run a command on this machine">
          <p>This runs on your machine:</p>
          {toStart.commands.map((command) => (
            <pre key={command}>{command}</pre>
          ))}
          <Group gap={6}>
            <Button size="compact-xs" color="orange" onClick={() => act('confirm', { isConfirmed: true })}>
              Run
            </Button>
            <Button size="compact-xs" variant="subtle" onClick={() => act('confirm', { isConfirmed: false })}>
              Don't run
            </Button>
          </Group>
        </div>
      )}
      {signIns.map(({ server, page }) => (
        <section key={server} className="confirm" aria-label={`Sign in to ${server}`}>
          <p>
            <b>{server}</b> asks you to sign in at {new URL(page).host}. The room continues when you are done.
          </p>
          <Button size="compact-xs" component="a" href={page} target="_blank" rel="noreferrer noopener">
            Sign in
          </Button>
        </section>
      ))}
      {trouble && (
        <p className="fault" role="alert">
          {trouble}
        </p>
      )}
      {servers.map((server) => (
        <Server key={server.id} server={server} act={act} />
      ))}
    </aside>
  )
}

/** The list of tools exactly as the model receives it. */
function Told({ isChanged }: { isChanged: string }) {
  const [text, setText] = useState<string>()
  const [isOpen, setOpen] = useState(false)
  // biome-ignore lint/correctness/useExhaustiveDependencies: another list is read again
  useEffect(() => {
    if (!isOpen) return
    ask('functions')
      .then((functions) => setText(JSON.stringify(functions, null, 2)))
      .catch((error: Error) => setText(error.message))
  }, [isOpen, isChanged])
  return (
    <details className="opened" onToggle={({ currentTarget }) => setOpen(currentTarget.open)}>
      <summary className="soft">functions as the model sees them</summary>
      <pre>{text ?? 'loading…'}</pre>
    </details>
  )
}

const colours = { open: 'moss', connecting: 'yellow', down: 'red' } as const

function Server({ server, act }: { server: ServerView; act: Act }) {
  const { id, state, reason, name, about, tools } = server
  const count = tools.filter(({ isOn }) => isOn).length
  return (
    <section className={`server ${state}`} aria-label={`Server ${id}`}>
      <Group justify="space-between" wrap="nowrap" gap={6}>
        <h3>{name ?? id}</h3>
        <Badge size="xs" variant="light" color={colours[state]}>
          {state}
        </Badge>
      </Group>
      {about && <p className="soft">{about}</p>}
      {reason && <p className="fault">{reason}</p>}
      <Group gap={6}>
        {state === 'down' && (
          <Button size="compact-xs" variant="light" onClick={() => act(`servers/${id}/reopen`)}>
            Open again
          </Button>
        )}
        {tools.length > 0 && (
          <Button
            size="compact-xs"
            variant="subtle"
            onClick={() => act(`servers/${id}/switch`, { isOn: count === 0 })}
          >
            {count === 0 ? 'All on' : 'All off'}
          </Button>
        )}
        <Button size="compact-xs" variant="subtle" color="gray" onClick={() => act(`servers/${id}/detach`)}>
          Detach
        </Button>
      </Group>
      {tools.map(({ name: tool, title, about: says, effect, isOn, isForPagesOnly }) => (
        <div key={tool} className="tool">
          <Checkbox
            size="xs"
            checked={isOn && !isForPagesOnly}
            disabled={isForPagesOnly}
            aria-label={isForPagesOnly ? `${tool} is for pages only` : `${tool} is offered to the model`}
            onChange={({ currentTarget }) => act(`servers/${id}/switch`, { tool, isOn: currentTarget.checked })}
          />
          <span title={says}>
            {tool}{' '}
            {effect === 'write' && (
              <Badge size="xs" variant="outline" className="changes">
                changes
              </Badge>
            )}
            {isForPagesOnly && (
              <Badge size="xs" variant="outline" className="for-pages">
                pages only
              </Badge>
            )}
            <small>{title ?? says}</small>
          </span>
        </div>
      ))}
    </section>
  )
}
