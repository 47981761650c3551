import { lazy, memo, Suspense } from 'react'
import type { Line } from '../../../src/score/line.js'
import type { OpenQuestion } from '../api'
import type { HttpEntry } from '../bench/useBench'
import { Opened } from './Opened'
import { duration, timeOf } from './times'

const QuestionCard = lazy(() => import('./QuestionCard'))

interface Props {
  line: Line
  firstAt: number
  name: string | undefined
  isOpen: boolean
  /** The address names this line. */
  isGoal: boolean
  /** The question of this line, if it is one and is not answered yet. */
  question: OpenQuestion | undefined
  onToggle: (sequence: number) => void
  exchange: HttpEntry | undefined
}

/** One line of the score; a click opens its details in place. */
export const ScoreLine = memo(function ScoreLine(props: Props) {
  const { line, firstAt, name, isOpen, isGoal, question, onToggle, exchange } = props
  const classes = [
    'line',
    `is-${line.shape}`,
    `from-${line.from}`,
    line.isFault && 'fault',
    line.isQuiet && 'quiet',
    isGoal && 'goal',
  ]
  const { kind } = line.entry
  const canOpen = kind !== 'state'
  return (
    <div className={classes.filter(Boolean).join(' ')} data-sequence={line.sequence}>
      <button
        type="button"
        className="row"
        onClick={() => onToggle(line.sequence)}
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
      {question && (
        <Suspense fallback={<p className="card">Loading the question…</p>}>
          <QuestionCard target={line.target} question={question} />
        </Suspense>
      )}
      {isOpen && canOpen && <Opened line={line} exchange={exchange} />}
    </div>
  )
})

/** Placed on the bar of its call. */
const placeOf = ({ of, open }: Line) =>
  ({ '--place': open.find(({ sequence }) => sequence === of)?.slot ?? 0 }) as React.CSSProperties

/** The lanes behind a line, a bar for each open call, and its arrow or mark. */
function Lanes({ line }: { line: Line }) {
  const isArrow = /^(call|result|note|question|reply)$/.test(line.shape)
  return (
    <span className="staff" aria-hidden="true">
      {line.open.map(({ sequence, slot }) => (
        <span
          key={sequence}
          className="bar"
          style={{ '--place': slot } as React.CSSProperties}
          data-end={sequence === line.of && line.shape === 'result' && !line.goesOn ? true : undefined}
        />
      ))}
      {isArrow && <span className="arrow" />}
      {(line.shape === 'question' || line.shape === 'reply') && <span className="arrow to-person" />}
      {line.shape === 'page' && <span className="arrow to-page" />}
      {line.shape === 'mark' && <span className={line.layer ? 'dot layer' : 'dot'} style={placeOf(line)} />}
      {line.shape === 'upstream' && <span className="beyond" />}
      {line.share !== undefined && (
        <span className="gauge">
          <span style={{ width: `${Math.round(line.share * 100)}%` }} />
        </span>
      )}
    </span>
  )
}
