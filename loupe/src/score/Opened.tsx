import { Button, CopyButton } from '@mantine/core'
import { lazy, Suspense, useEffect, useRef, useState } from 'react'
import type { Line } from '../../../src/score/line.js'
import { entryOf, type SlimEntry, type TapeEntry } from '../api'
import { hashOf } from '../bench/route'
import type { HttpEntry } from '../bench/useBench'
import { Facts } from '../Facts'
import { JsonView } from '../result/JsonView'
import { duration } from './times'

const Difference = lazy(() => import('../result/Difference'))

interface Props {
  line: Line
  exchange: HttpEntry | undefined
}

/** Details of a line: its JSON, its HTTP headers, and the difference from the previous result of the same call. */
export function Opened({ line, exchange }: Props) {
  const [view, setView] = useState<'message' | 'headers' | 'before'>('message')
  const entry = useWhole(line.entry)
  const place = useRef<HTMLDivElement>(null)
  // What is opened at the lower edge is wanted in view.
  // biome-ignore lint/correctness/useExhaustiveDependencies: it grows with what is shown
  useEffect(() => {
    place.current?.scrollIntoView({ block: 'nearest' })
  }, [entry, view])
  return (
    <div className="opened" ref={place}>
      <div className="opened-bar">
        {(exchange || line.previous !== undefined) && (
          <>
            <Choice at={view} value="message" onChoose={setView}>
              Message
            </Choice>
            {exchange && (
              <Choice at={view} value="headers" onChoose={setView}>
                HTTP headers
              </Choice>
            )}
            {line.previous !== undefined && (
              <Choice at={view} value="before" onChoose={setView}>
                Compared with the previous result
              </Choice>
            )}
          </>
        )}
        <span className="gap" />
        <CopyButton
          value={`${location.origin}${location.pathname}${hashOf({ at: 'message', sequence: line.sequence })}`}
        >
          {({ copied, copy }) => (
            <Button size="compact-xs" variant="subtle" onClick={copy}>
              {copied ? 'Copied' : 'Copy link'}
            </Button>
          )}
        </CopyButton>
      </div>
      {view === 'headers' && exchange ? (
        <Headers exchange={exchange} />
      ) : view === 'before' && line.previous !== undefined ? (
        <Suspense fallback={<p>Comparing…</p>}>
          <Difference before={line.previous} after={line.sequence} />
        </Suspense>
      ) : entry === undefined ? (
        <p>Loading the whole message…</p>
      ) : (
        <JsonView value={contentOf(entry)} label={`Message ${line.title}`} />
      )}
      <p>{footOf(line)}</p>
    </div>
  )
}

interface ChoiceProps<T extends string> {
  at: T
  value: T
  onChoose: (value: T) => void
  children: React.ReactNode
}

function Choice<T extends string>({ at, value, onChoose, children }: ChoiceProps<T>) {
  return (
    <Button
      size="compact-xs"
      variant={at === value ? 'light' : 'subtle'}
      aria-pressed={at === value}
      onClick={() => onChoose(value)}
    >
      {children}
    </Button>
  )
}

/** The whole entry. The page keeps only the beginning of a large message and fetches the rest here. */
function useWhole(entry: SlimEntry): TapeEntry | undefined {
  const [whole, setWhole] = useState<TapeEntry>()
  const isCut = entry.isCut === true
  useEffect(() => {
    if (!isCut) return
    let isWanted = true
    entryOf(entry.sequence).then(
      (found) => isWanted && setWhole(found),
      () => isWanted && setWhole(entry),
    )
    return () => {
      isWanted = false
    }
  }, [isCut, entry])
  return isCut ? whole : entry
}

function contentOf(entry: TapeEntry): unknown {
  switch (entry.kind) {
    case 'message':
    case 'page':
      return entry.message
    case 'upstream':
      return entry.record
    case 'sign-in':
      return entry.step
    case 'http': {
      const { sequence: _, at: __, target: ___, ...rest } = entry
      return rest
    }
    default:
      return entry.text
  }
}

function Headers({ exchange }: { exchange: HttpEntry }) {
  const { method, url, status, requestHeaders, responseHeaders, tookMs, failure } = exchange
  return (
    <section className="headers" aria-label="HTTP headers">
      <h4>
        {method} {url}
      </h4>
      <Facts facts={Object.entries(requestHeaders)} />
      <h4>
        {failure ?? `HTTP ${status}`} after {duration(tookMs)}
      </h4>
      <Facts facts={Object.entries(responseHeaders ?? {})} />
    </section>
  )
}

function footOf(line: Line): string {
  const way =
    line.layer !== undefined
      ? `layer ${line.layer}`
      : line.shape === 'upstream'
        ? 'server → upstream'
        : line.entry.kind === 'stderr'
          ? 'server, on stderr'
          : line.from === 'host'
            ? 'host → server'
            : 'server → host'
  const bytes = line.entry.kind === 'message' ? ` · ${line.entry.bytes.toLocaleString('en')} bytes` : ''
  return `${way}${bytes} · ${new Date(line.at).toISOString().slice(11, 23)}`
}
