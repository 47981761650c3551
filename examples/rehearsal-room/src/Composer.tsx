import { Autocomplete, Badge, Button, Group, Menu, Modal, Textarea } from '@mantine/core'
import type { Attachment } from 'jexo/host'
import { useState } from 'react'
import type { RoomView, ServerView } from '../backend/room.ts'
import type { Act } from './Servers.tsx'
import { ask } from './useRoom.ts'

/** An item whose fields are filled in before it is attached: a prompt or a resource template. */
interface Wanted {
  server: string
  title: string
  of: { prompt: string } | { template: string }
  fields: { name: string; about: string; required: boolean }[]
}

/** The input of the user, with attached resources and a menu of prompts. */
export function Composer({ view, isFresh, act }: { view: RoomView; isFresh: boolean; act: Act }) {
  const [text, setText] = useState('')
  const [attached, setAttached] = useState<Attachment[]>([])
  const [wanted, setWanted] = useState<Wanted>()
  const [trouble, setTrouble] = useState<string>()
  const open = view.servers.filter(({ state }) => state === 'open')
  const say = (words: string) => {
    if (words.trim() === '' || view.isBusy) return
    act('say', { text: words, attached })
    setText('')
    setAttached([])
  }
  const add = (getting: Promise<Attachment>) => {
    setTrouble(undefined)
    getting
      .then((attachment) => setAttached((before) => [...before, attachment]))
      .catch((error: Error) => setTrouble(error.message))
  }
  return (
    <div className="composer">
      {isFresh && (
        <div className="chips">
          {suggestionsOf(open).map((sentence) => (
            <Button key={sentence} size="compact-xs" variant="default" onClick={() => say(sentence)}>
              {sentence}
            </Button>
          ))}
        </div>
      )}
      <Group gap={6} mb={6}>
        <ResourceMenu servers={open} read={(server, uri) => add(ask('read', { server, uri }))} want={setWanted} />
        <PromptMenu
          servers={open}
          fill={(server, prompt) => add(ask('fill', { server, prompt, args: {} }))}
          want={setWanted}
        />
        {attached.map(({ label }, at) => (
          <Badge
            key={label}
            variant="light"
            rightSection={
              <button
                type="button"
                aria-label={`Take ${label} away`}
                onClick={() => setAttached(attached.filter((_, index) => index !== at))}
                style={{ all: 'unset', cursor: 'pointer' }}
              >
                ×
              </button>
            }
          >
            {label}
          </Badge>
        ))}
        {trouble && (
          <span className="fault" role="alert">
            {trouble}
          </span>
        )}
      </Group>
      <Group gap={8} align="end" wrap="nowrap">
        <Textarea
          flex={1}
          autosize
          minRows={1}
          maxRows={6}
          aria-label="Your message"
          placeholder="What is the reading of the scale under ML-04?"
          value={text}
          onChange={({ currentTarget }) => setText(currentTarget.value)}
          onKeyDown={(event) => {
            if (event.key !== 'Enter' || event.shiftKey || event.nativeEvent.isComposing) return
            event.preventDefault()
            say(text)
          }}
        />
        {view.isBusy ? (
          <Button color="red" variant="light" onClick={() => act('stop')}>
            Stop
          </Button>
        ) : (
          <Button disabled={text.trim() === ''} onClick={() => say(text)}>
            Say
          </Button>
        )}
      </Group>
      {wanted && (
        <Fill
          wanted={wanted}
          close={() => setWanted(undefined)}
          done={(given) => {
            const { server, of } = wanted
            setWanted(undefined)
            if ('prompt' in of) add(ask('fill', { server, prompt: of.prompt, args: given }))
            else
              add(
                ask('read', {
                  server,
                  uri: of.template.replace(/\{[^}]*?(\w+)\}/g, (_, name: string) =>
                    encodeURIComponent(given[name] ?? ''),
                  ),
                }),
              )
          }}
        />
      )}
    </div>
  )
}

/** Suggested sentences for tools that only read, from their titles and examples. */
function suggestionsOf(servers: readonly ServerView[]): string[] {
  return servers
    .flatMap(({ tools }) => tools)
    .filter(({ effect, isOn, example, title }) => effect === 'read' && isOn && title && example)
    .slice(0, 4)
    .map(
      ({ title, example }) =>
        `${title}: ${Object.values(example as object)
          .map(String)
          .join(', ')}`,
    )
}

const mostListed = 40

function ResourceMenu({
  servers,
  read,
  want,
}: {
  servers: readonly ServerView[]
  read: (server: string, uri: string) => void
  want: (wanted: Wanted) => void
}) {
  const isEmpty = servers.every(({ resources, templates }) => resources.length + templates.length === 0)
  return (
    <Menu position="top-start" width={420}>
      <Menu.Target>
        <Button size="compact-xs" variant="default" disabled={isEmpty}>
          Attach a resource
        </Button>
      </Menu.Target>
      <Menu.Dropdown mah={360} style={{ overflowY: 'auto' }}>
        {servers.map(({ id, templates, resources }) => [
          <Menu.Label key={id}>{id}</Menu.Label>,
          ...templates.map(({ uriTemplate, name, about }) => (
            <Menu.Item
              key={uriTemplate}
              title={about}
              onClick={() =>
                want({
                  server: id,
                  title: name,
                  of: { template: uriTemplate },
                  fields: [...uriTemplate.matchAll(/\{[^}]*?(\w+)\}/g)].map(([, field = '']) => ({
                    name: field,
                    about: '',
                    required: true,
                  })),
                })
              }
            >
              {name} <span className="soft">{uriTemplate}</span>
            </Menu.Item>
          )),
          ...resources.slice(0, mostListed).map(({ uri, name, about }) => (
            <Menu.Item key={uri} title={about} onClick={() => read(id, uri)}>
              {name} <span className="soft">{uri}</span>
            </Menu.Item>
          )),
        ])}
      </Menu.Dropdown>
    </Menu>
  )
}

function PromptMenu({
  servers,
  fill,
  want,
}: {
  servers: readonly ServerView[]
  fill: (server: string, prompt: string) => void
  want: (wanted: Wanted) => void
}) {
  return (
    <Menu position="top-start" width={420}>
      <Menu.Target>
        <Button size="compact-xs" variant="default" disabled={servers.every(({ prompts }) => prompts.length === 0)}>
          Use a prompt
        </Button>
      </Menu.Target>
      <Menu.Dropdown>
        {servers.map(({ id, prompts }) =>
          prompts.map(({ name, about, arguments: fields }) => (
            <Menu.Item
              key={`${id} ${name}`}
              onClick={() =>
                fields.length === 0
                  ? fill(id, name)
                  : want({ server: id, title: name, of: { prompt: name }, fields })
              }
            >
              {name} <span className="soft">{about}</span>
            </Menu.Item>
          )),
        )}
      </Menu.Dropdown>
    </Menu>
  )
}

/** Fields with completions from the server. */
function Fill({
  wanted,
  close,
  done,
}: {
  wanted: Wanted
  close: () => void
  done: (given: Record<string, string>) => void
}) {
  const [given, setGiven] = useState<Record<string, string>>({})
  const [values, setValues] = useState<Record<string, string[]>>({})
  const complete = (name: string, value: string) => {
    const filled = Object.fromEntries(
      Object.entries(given).filter(([other, text]) => other !== name && text !== ''),
    )
    ask<{ values: string[] }>('complete', { server: wanted.server, of: wanted.of, name, value, filled })
      .then((found) => setValues((before) => ({ ...before, [name]: [...new Set(found.values)] })))
      // A server without completion gets plain text fields.
      .catch(() => setValues((before) => ({ ...before, [name]: [] })))
  }
  const isWhole = wanted.fields.every(({ name, required }) => !required || (given[name] ?? '') !== '')
  return (
    <Modal opened onClose={close} title={wanted.title} centered>
      <form
        onSubmit={(event) => {
          event.preventDefault()
          if (isWhole) done(Object.fromEntries(Object.entries(given).filter(([, text]) => text !== '')))
        }}
      >
        {wanted.fields.map(({ name, about, required }) => (
          <Autocomplete
            key={name}
            label={name}
            description={about}
            withAsterisk={required}
            data={values[name] ?? []}
            filter={({ options }) => options}
            value={given[name] ?? ''}
            onFocus={() => complete(name, given[name] ?? '')}
            onChange={(value) => {
              setGiven({ ...given, [name]: value })
              complete(name, value)
            }}
            mb={8}
          />
        ))}
        <Button type="submit" disabled={!isWhole}>
          Attach
        </Button>
      </form>
    </Modal>
  )
}
