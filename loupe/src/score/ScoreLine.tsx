import { memo } from 'react'
import { Json } from '../Json'
import type { Line } from './model'

interface Props {
  line: Line
  firstAt: number
  name: string | undefined
  isOpen: boolean
  onToggle: () => void
}

/** One line of the score; a click opens its exact JSON in place. */
export const ScoreLine = memo(function ScoreLine({ line, firstAt, name, isOpen, onToggle }: Props) {
  const classes = [
    'line',
    `is-${line.shape}`,
    `from-${line.from}`,
    line.isFault && 'fault',
    line.isQuiet && 'quiet',
  ]
  const canOpen = line.entry.kind === 'message'
  return (
    <div className={classes.filter(Boolean).join(' ')} data-sequence={line.sequence}>
      <button
        type="button"
        className="row"
        onClick={onToggle}
        disabled={!canOpen}
        aria-expanded={canOpen ? isOpen : undefined}
      >
        <span className="time">{timeOf(line.at - firstAt)}</span>
        <Lanes line={line} />
        <span className="words">
          {name !== undefined && <em>{name}</em>}
          <b>{line.title}</b>
          {line.tookMs !== undefined && <i>{duration(line.tookMs)}</i>}
          {line.detail && <span>{line.detail}</span>}
        </span>
      </button>
      {isOpen && line.entry.kind === 'message' && (
        <div className="opened">
          <Json value={line.entry.message} label={`Message ${line.title}`} />
          <p>
            {line.shape === 'upstream'
              ? 'server → upstream'
              : line.from === 'host'
                ? 'host → server'
                : 'server → host'}{' '}
            · {line.entry.bytes.toLocaleString('en')} bytes · {new Date(line.at).toISOString().slice(11, 23)}
          </p>
        </div>
      )}
    </div>
  )
})

/** The lanes behind a line, its bar while calls are open, and its arrow or mark. */
function Lanes({ line }: { line: Line }) {
  const isArrow = line.shape === 'call' || line.shape === 'answer' || line.shape === 'note'
  return (
    <span className="staff" aria-hidden="true">
      <span className="lane person" />
      <span className="lane host" />
      <span className="lane server" />
      <span className="lane upstream" />
      {line.open.map(({ sequence, slot }) => (
        <span
          key={sequence}
          className="bar"
          style={{ '--place': slot } as React.CSSProperties}
          data-end={sequence === line.of && line.shape === 'answer' ? true : undefined}
        />
      ))}
      {isArrow && <span className="arrow" />}
      {line.shape === 'mark' && <span className="dot" />}
      {line.shape === 'upstream' && <span className="beyond" />}
      {line.share !== undefined && (
        <span className="gauge">
          <span style={{ width: `${Math.round(line.share * 100)}%` }} />
        </span>
      )}
    </span>
  )
}

export function duration(ms: number): string {
  if (ms < 10) return `${ms.toFixed(1)} ms`
  return ms < 1000 ? `${Math.round(ms)} ms` : `${(ms / 1000).toFixed(2)} s`
}

function timeOf(ms: number): string {
  const seconds = ms / 1000
  return seconds < 60
    ? `${seconds.toFixed(2)} s`
    : `${Math.floor(seconds / 60)}:${(seconds % 60).toFixed(1).padStart(4, '0')}`
}
