import { ActionIcon, Button, Tooltip, useComputedColorScheme, useMantineColorScheme } from '@mantine/core'
import { useEffect, useState } from 'react'
import { follow, type JournalEntry, reopen, type TargetView } from './api'
import { Desk } from './desk/Desk'
import { Score } from './score/Score'

const mostEntries = 20_000

export function App() {
  const [entries, setEntries] = useState<readonly JournalEntry[]>([])
  const [targets, setTargets] = useState<readonly TargetView[]>([])
  const [line, setLine] = useState<'live' | 'lost' | 'refused'>('live')
  const [clearedAt, setClearedAt] = useState(0)

  useEffect(
    () =>
      follow(
        (more) =>
          setEntries((before) =>
            [...before, ...more.filter((entry) => entry.sequence > (before.at(-1)?.sequence ?? 0))].slice(
              -mostEntries,
            ),
          ),
        setTargets,
        setLine,
      ),
    [],
  )

  const names =
    targets.length > 1 ? Object.fromEntries(targets.map(({ id, name, label }) => [id, name ?? label])) : undefined
  const shown = clearedAt === 0 ? entries : entries.filter((entry) => entry.sequence > clearedAt)
  return (
    <div className="loupe">
      <header>
        <div className="top">
          <h1>
            <img src="/lens.svg" alt="" /> Loupe
          </h1>
          {targets.map((target) => (
            <Target key={target.id} target={target} />
          ))}
          <div className="gap" />
          <Button size="compact-sm" variant="subtle" onClick={() => setClearedAt(entries.at(-1)?.sequence ?? 0)}>
            Clear
          </Button>
          <SchemeSwitch />
        </div>
        {problemsOf(targets, line).map((problem) => (
          <p key={problem} className="problem" role="alert">
            {problem}
          </p>
        ))}
      </header>
      <main className="body">
        <Score entries={shown} names={names} />
        <Desk targets={targets} />
      </main>
    </div>
  )
}

function Target({ target }: { target: TargetView }) {
  return (
    <div className="target">
      <span className="light" data-state={target.state} role="img" aria-label={target.state} />
      <b>{target.name ?? target.label}</b>
      <Tooltip label={target.label} openDelay={300}>
        <span>{target.state === 'open' ? `${target.version} · revision ${target.revision}` : target.state}</span>
      </Tooltip>
      <Button
        size="compact-xs"
        variant="light"
        onClick={() => void reopen(target.id)}
        disabled={target.state === 'connecting'}
      >
        {target.state === 'open' ? 'Restart' : 'Connect'}
      </Button>
    </div>
  )
}

function SchemeSwitch() {
  const { setColorScheme } = useMantineColorScheme()
  const scheme = useComputedColorScheme('light')
  const other = scheme === 'dark' ? 'light' : 'dark'
  return (
    <ActionIcon variant="subtle" aria-label={`Use ${other} colours`} onClick={() => setColorScheme(other)}>
      {scheme === 'dark' ? '☀' : '☾'}
    </ActionIcon>
  )
}

function problemsOf(targets: readonly TargetView[], line: 'live' | 'lost' | 'refused'): string[] {
  const closed = targets.flatMap(({ label, problem }) => {
    if (!problem) return []
    return [problem.startsWith(label) ? problem : `${label}: ${problem}`]
  })
  if (line === 'refused')
    return ['This link is not valid any more. Open the one that the jexo command printed last.']
  return line === 'lost' ? ['Loupe does not answer; is the command still running?', ...closed] : closed
}
