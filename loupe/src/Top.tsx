import { ActionIcon, Button, useComputedColorScheme, useMantineColorScheme } from '@mantine/core'
import { removeTarget, reopen, type TargetView } from './api'
import type { Route } from './bench/route'
import type { Known } from './bench/useBench'

interface Props {
  known: Known
  route: Route
  go: (route: Route) => void
  onPalette: () => void
}

/** The targets, their state, and their errors. */
export function Top({ known, route, go, onPalette }: Props) {
  const { bench, connection } = known
  return (
    <header>
      <div className="top">
        <h1>
          <img src="/lens.svg" alt="" /> Loupe
        </h1>
        <div className="targets">
          {bench.targets.map((target) => (
            <Target
              key={target.id}
              target={target}
              isOpen={route.at === 'target' && route.id === target.id}
              go={go}
            />
          ))}
          {bench.tapes.map(({ id, label }) => (
            <div className="target" key={id}>
              <span className="light" data-state="tape" role="img" aria-label="tape" />
              <b>{label}</b>
              <Button size="compact-xs" variant="subtle" onClick={() => void removeTarget(id)}>
                Close
              </Button>
            </div>
          ))}
          <Button size="compact-sm" variant="subtle" onClick={() => go({ at: 'add' })}>
            + Add
          </Button>
        </div>
        <Button size="compact-sm" variant="default" title="Find anything: Ctrl+K" onClick={onPalette}>
          Find <kbd>Ctrl K</kbd>
        </Button>
        <SchemeSwitch />
      </div>
      <Problems known={known} />
      {connection === 'refused' && (
        <p className="problem" role="alert">
          This link is no longer valid. Open the one that the jexo command printed last.
        </p>
      )}
      {connection === 'lost' && (
        <p className="problem" role="alert">
          Loupe does not respond; is the command still running?
        </p>
      )}
    </header>
  )
}

function Target({ target, isOpen, go }: { target: TargetView; isOpen: boolean; go: Props['go'] }) {
  const { id, state, name, label, version, revision, latencyMs, questions } = target
  const latency =
    latencyMs === undefined ? '' : ` · ${latencyMs < 10 ? latencyMs.toFixed(1) : Math.round(latencyMs)} ms`
  return (
    <div className="target" data-open={isOpen || undefined}>
      <button
        type="button"
        className="target-name"
        title={`${label}: what it is, and how Loupe plays the host`}
        onClick={() => go(isOpen ? { at: 'parts' } : { at: 'target', id })}
      >
        <span className="light" data-state={state} role="img" aria-label={state} />
        <b>{name ?? label}</b>
        <span className="facts-short">
          {state === 'open' ? `${version} · revision ${revision}${latency}` : state}
        </span>
        {questions.length > 0 && <span className="asks">{questions.length} asked</span>}
      </button>
      <Button size="compact-xs" variant="light" onClick={() => void reopen(id)} disabled={state === 'connecting'}>
        {state === 'open' ? 'Restart' : 'Connect'}
      </Button>
    </div>
  )
}

function Problems({ known }: { known: Known }) {
  const all = [
    ...known.bench.targets.map(({ id, label, problem, fix }) => ({ id, label, problem, fix })),
    ...known.bench.tapes.map(({ id, label, problem }) => ({ id, label, problem, fix: undefined })),
  ]
  return all.map(({ id, label, problem, fix }) =>
    problem === undefined ? null : (
      <p key={id} className="problem" role="alert">
        {problem.startsWith(label) ? problem : `${label}: ${problem}`}
        {fix !== undefined && <span className="fix"> Fix: {fix}.</span>}
      </p>
    ),
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
