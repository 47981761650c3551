import { Autocomplete, Button, FileButton, Group, SegmentedControl, Textarea, TextInput } from '@mantine/core'
import { useState } from 'react'
import { addTarget, configNames, type NewTarget, openTapeText, type Start } from '../api'

const kinds = [
  { value: 'kit', label: 'Kit file' },
  { value: 'url', label: 'URL' },
  { value: 'command', label: 'Command' },
  { value: 'entry', label: "Host's file" },
  { value: 'tape', label: 'Tape' },
] as const
type Kind = (typeof kinds)[number]['value']

interface Props {
  onBack: (() => void) | undefined
  onAdded: () => void
}

/** Adds a target. A command is shown first, and runs only after the user confirms it. */
export default function AddTarget({ onBack, onAdded }: Props) {
  const [kind, setKind] = useState<Kind>('kit')
  const [fields, setFields] = useState({ file: '', url: '', command: '', entry: '', cwd: '', env: '', headers: '' })
  const [names, setNames] = useState<string[]>([])
  const [starts, setStarts] = useState<Start>()
  const [problem, setProblem] = useState<string>()
  const set = (more: Partial<typeof fields>) => {
    setFields({ ...fields, ...more })
    setStarts(undefined)
  }
  const attempt = async (work: () => Promise<void>) => {
    try {
      setProblem(undefined)
      await work()
    } catch (error) {
      setProblem((error as Error).message)
    }
  }
  const add = (confirmed: boolean) =>
    attempt(async () => {
      const added = await addTarget({ ...targetOf(kind, fields), confirmed })
      if (added.starts) setStarts(added.starts)
      else onAdded()
    })
  const openTape = (file: File | null) =>
    attempt(async () => {
      if (!file) return
      await openTapeText(file.name, await file.text())
      onAdded()
    })
  const listEntries = () =>
    attempt(async () => {
      if (fields.file !== '') setNames((await configNames(fields.file)).names)
    })
  return (
    <aside className="desk" aria-label="Add a target">
      <div className="desk-scroll">
        {onBack && (
          <Button size="compact-sm" variant="subtle" onClick={onBack}>
            ← All parts
          </Button>
        )}
        <h2 className="desk-title">Choose what to inspect</h2>
        <SegmentedControl
          fullWidth
          size="xs"
          my="sm"
          data={kinds.map((item) => ({ ...item }))}
          value={kind}
          onChange={(value) => {
            setKind(value as Kind)
            setStarts(undefined)
          }}
        />
        {kind === 'tape' ? (
          <FileButton onChange={(file) => void openTape(file)} accept=".jsonl">
            {(props) => <Button {...props}>Choose a tape…</Button>}
          </FileButton>
        ) : (
          <form
            className="client-form"
            onSubmit={(event) => {
              event.preventDefault()
              void add(false)
            }}
          >
            {kind === 'kit' && (
              <Field label="Kit file" hint="apiary.kit.ts" value={fields.file} onValue={(file) => set({ file })} />
            )}
            {kind === 'url' && (
              <>
                <Field
                  label="URL"
                  hint="http://127.0.0.1:4870/mcp"
                  value={fields.url}
                  onValue={(url) => set({ url })}
                />
                <Lines
                  label="Headers"
                  hint="Authorization: Bearer …"
                  value={fields.headers}
                  onValue={(headers) => set({ headers })}
                />
              </>
            )}
            {kind === 'command' && (
              <Field
                label="Command with its arguments"
                hint="node server.mjs"
                value={fields.command}
                onValue={(command) => set({ command })}
              />
            )}
            {kind === 'entry' && (
              <>
                <Field
                  label="Configuration file of a host"
                  hint="/home/me/host/config.json"
                  value={fields.file}
                  onValue={(file) => set({ file })}
                  onLeave={() => void listEntries()}
                />
                <Autocomplete
                  label="Entry"
                  data={names}
                  value={fields.entry}
                  onChange={(entry) => set({ entry })}
                  onFocus={() => void listEntries()}
                />
              </>
            )}
            {(kind === 'kit' || kind === 'command') && (
              <Lines label="Environment" hint="NAME=value" value={fields.env} onValue={(env) => set({ env })} />
            )}
            {kind === 'command' && (
              <Field label="Working folder" hint="" value={fields.cwd} onValue={(cwd) => set({ cwd })} />
            )}
            {!starts && (
              <Group>
                <Button type="submit">Add</Button>
              </Group>
            )}
          </form>
        )}
        {starts && (
          <Confirm starts={starts} onConfirm={() => void add(true)} onLeave={() => setStarts(undefined)} />
        )}
        {problem !== undefined && (
          <p className="issue" role="alert">
            {problem}
          </p>
        )}
      </div>
    </aside>
  )
}

interface ConfirmProps {
  starts: Start
  onConfirm: () => void
  onLeave: () => void
}

function Confirm({ starts, onConfirm, onLeave }: ConfirmProps) {
  const { command, args, cwd, variables } = starts
  return (
    <section className="card" aria-label="Confirm the command">
      <h3>This starts a program on this machine</h3>
      <pre className="text">{[command, ...args].join(' ')}</pre>
      <p>
        in {cwd}
        {variables.length > 0 && `, with ${variables.join(', ')}`}
      </p>
      <Group gap="xs">
        <Button onClick={onConfirm}>Start it</Button>
        <Button variant="default" onClick={onLeave}>
          Cancel
        </Button>
      </Group>
    </section>
  )
}

interface FieldProps {
  label: string
  hint: string
  value: string
  onValue: (value: string) => void
  onLeave?: () => void
}

function Field({ label, hint, value, onValue, onLeave }: FieldProps) {
  return (
    <TextInput
      label={label}
      placeholder={hint}
      value={value}
      onChange={(event) => onValue(event.currentTarget.value)}
      onBlur={onLeave}
    />
  )
}

function Lines({ label, hint, value, onValue }: FieldProps) {
  return (
    <Textarea
      label={label}
      description="One per line"
      placeholder={hint}
      autosize
      minRows={1}
      value={value}
      onChange={(event) => onValue(event.currentTarget.value)}
    />
  )
}

interface Fields {
  file: string
  url: string
  command: string
  entry: string
  cwd: string
  env: string
  headers: string
}

function targetOf(kind: Kind, fields: Fields): NewTarget {
  const env = pairsIn(fields.env, '=')
  switch (kind) {
    case 'url':
      return { text: fields.url, headers: pairsIn(fields.headers, ':') }
    case 'command':
      return { text: fields.command === '' ? '' : `exec:${fields.command}`, env, cwd: fields.cwd }
    case 'entry':
      return { text: `${fields.file}#${fields.entry}` }
    default:
      return { text: fields.file, env }
  }
}

function pairsIn(text: string, mark: string): Record<string, string> {
  const lines = text.split('\n').filter((line) => line.indexOf(mark) > 0)
  return Object.fromEntries(
    lines.map((line) => [line.slice(0, line.indexOf(mark)).trim(), line.slice(line.indexOf(mark) + 1).trim()]),
  )
}
