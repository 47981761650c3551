import { useVirtualizer } from '@tanstack/react-virtual'
import { useCallback, useEffect, useMemo, useRef, useState } from 'react'
import type { Line } from '../../../src/score/line.js'
import type { OpenQuestion } from '../api'
import type { Route } from '../bench/route'
import type { HttpEntry, Known } from '../bench/useBench'
import { ScoreLine } from './ScoreLine'
import './score.css'
import './line.css'
import './controls.css'

/** How long after an input event a scroll counts as made by the user. */
const handMs = 1000

interface Props {
  known: Known
  lines: readonly Line[]
  /** Names of the targets, if there is more than one. */
  names: Readonly<Record<string, string>> | undefined
  /** The message that the address names; it is opened and scrolled to. */
  wanted: Route
}

/**
 * The score: time runs down, lanes run across. Follows the newest line until the user scrolls up. Only visible lines
 * are drawn.
 */
export function Score({ known, lines, names, wanted }: Props) {
  const [opened, setOpened] = useState<ReadonlySet<number>>(new Set())
  const [isFollowing, setFollowing] = useState(true)
  const scroller = useRef<HTMLDivElement>(null)
  const lastTop = useRef(0)
  const touchedAt = useRef(Number.NEGATIVE_INFINITY)
  const beginnings = useMemo(() => beginningsOf(lines), [lines])
  const questions = useMemo(
    () =>
      new Map<string, OpenQuestion>(
        known.bench.targets.flatMap(({ id, questions }) =>
          questions.map((question) => [`${id} ${JSON.stringify(question.requestId)}`, question] as const),
        ),
      ),
    [known.bench.targets],
  )
  const rows = useVirtualizer({
    count: lines.length,
    getScrollElement: () => scroller.current,
    estimateSize: (index) => heightOf(lines[index]),
    getItemKey: (index) => lines[index]?.sequence ?? index,
    overscan: 12,
  })

  // A card grows when its form has loaded.
  const height = rows.getTotalSize()

  // biome-ignore lint/correctness/useExhaustiveDependencies: a new line is what moves the view
  useEffect(() => {
    if (isFollowing && lines.length > 0) rows.scrollToIndex(lines.length - 1, { align: 'end' })
  }, [lines, isFollowing, height])

  const goal = wanted.at === 'message' ? wanted.sequence : undefined
  const goalIndex = goal === undefined ? -1 : lines.findIndex(({ sequence }) => sequence === goal)
  // biome-ignore lint/correctness/useExhaustiveDependencies: it is gone to once it is there, not each time lines come
  useEffect(() => {
    if (goalIndex < 0 || goal === undefined) return
    setFollowing(false)
    setOpened((before) => new Set([...before, goal]))
    rows.scrollToIndex(goalIndex, { align: 'center' })
  }, [goal, goalIndex < 0])

  const toggle = useCallback((sequence: number) => {
    setFollowing(false)
    setOpened((before) => {
      const after = new Set(before)
      if (!after.delete(sequence)) after.add(sequence)
      return after
    })
  }, [])
  // Growing or measured content moves the view too; only an upward scroll by the user stops following.
  const touched = () => {
    touchedAt.current = performance.now()
  }
  const onScroll = () => {
    const at = scroller.current
    if (!at) return
    if (at.scrollHeight - at.scrollTop - at.clientHeight < 24) setFollowing(true)
    else if (at.scrollTop < lastTop.current - 4 && performance.now() - touchedAt.current < handMs)
      setFollowing(false)
    lastTop.current = at.scrollTop
  }
  // Scrolls to a server's question.
  const waiting = questions.size
  const wereWaiting = useRef(0)
  useEffect(() => {
    if (waiting > wereWaiting.current) setFollowing(true)
    wereWaiting.current = waiting
  }, [waiting])

  const hasPages = useMemo(() => lines.some(({ shape }) => shape === 'page'), [lines])
  return (
    <>
      <div className="lanes-head" data-pages={hasPages || undefined} aria-hidden="true">
        <span />
        <span className="lane-person">Person</span>
        {hasPages && <span className="lane-page">Page</span>}
        <span className="lane-host">{known.bench.targets.length > 0 ? 'Host · this page' : 'Host'}</span>
        <span className="lane-server">Server</span>
        <span className="lane-upstream">Upstream</span>
      </div>
      <div
        className="lanes"
        ref={scroller}
        onScroll={onScroll}
        onWheel={touched}
        onTouchMove={touched}
        onKeyDown={touched}
        onPointerDown={touched}
        onPointerMove={(event) => event.buttons > 0 && touched()}
        // biome-ignore lint/a11y/noNoninteractiveTabindex: a region that scrolls has to be reachable by keyboard
        tabIndex={0}
        role="log"
        aria-label="Messages"
      >
        <div className="lines" style={{ height }}>
          {rows.getVirtualItems().map(({ index, start, key }) => {
            const line = lines[index]
            if (!line) return null
            return (
              <div
                key={key}
                data-index={index}
                ref={rows.measureElement}
                className="placed staves"
                style={{ transform: `translateY(${start}px)` }}
              >
                <ScoreLine
                  line={line}
                  firstAt={beginnings.get(recordingOf(line)) ?? line.at}
                  name={names?.[line.target]}
                  isOpen={opened.has(line.sequence)}
                  isGoal={line.sequence === goal}
                  question={line.shape === 'question' ? questions.get(questionKey(line)) : undefined}
                  onToggle={toggle}
                  exchange={exchangeOf(line, known.exchanges)}
                />
              </div>
            )
          })}
        </div>
        <div className="lanes-tail staves" aria-hidden="true" />
      </div>
      {!isFollowing && (
        <button type="button" className="to-newest" onClick={() => setFollowing(true)}>
          To the newest ↓
        </button>
      )}
    </>
  )
}

/** Live targets share one start time; each tape has its own, which may be another day. */
function beginningsOf(lines: readonly Line[]): ReadonlyMap<string, number> {
  const beginnings = new Map<string, number>()
  for (const line of lines) if (!beginnings.has(recordingOf(line))) beginnings.set(recordingOf(line), line.at)
  return beginnings
}

const recordingOf = ({ target }: Line) => (target.includes('/') ? target.slice(0, target.indexOf('/')) : '')

/** The HTTP exchange of a line, which may arrive after the line. */
function exchangeOf({ target, entry }: Line, exchanges: ReadonlyMap<string, HttpEntry>): HttpEntry | undefined {
  if (entry.kind === 'http') return entry
  return entry.kind === 'message' && entry.exchange !== undefined
    ? exchanges.get(`${target} ${entry.exchange}`)
    : undefined
}

function questionKey({ target, entry }: Line): string {
  const id =
    entry.kind === 'message'
      ? (entry.message as { id?: unknown }).id
      : entry.kind === 'sign-in'
        ? entry.question
        : undefined
  return `${target} ${JSON.stringify(id)}`
}

/** The height in the style sheet, used until it is measured. */
function heightOf(line: Line | undefined): number {
  if (!line) return 30
  if (line.isQuiet) return 30
  return /^(mark|upstream|stderr|stray|state)$/.test(line.shape) ? 28 : 46
}
