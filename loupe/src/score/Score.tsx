import { useEffect, useMemo, useRef, useState } from 'react'
import type { JournalEntry } from '../api'
import { scoreOf } from './model'
import { ScoreLine } from './ScoreLine'
import './score.css'

const mostLines = 1000

interface Props {
  entries: readonly JournalEntry[]
  /** Names of the targets, where there is more than one. */
  names: Readonly<Record<string, string>> | undefined
}

/** The score: time runs down, lanes across. Follows the newest line until one scrolls up. */
export function Score({ entries, names }: Props) {
  const lines = useMemo(() => scoreOf(entries), [entries])
  const [opened, setOpened] = useState<ReadonlySet<number>>(new Set())
  const [isFollowing, setFollowing] = useState(true)
  const scroller = useRef<HTMLDivElement>(null)
  const lastTop = useRef(0)
  const shown = lines.slice(-mostLines)
  const firstAt = lines[0]?.at ?? 0

  // biome-ignore lint/correctness/useExhaustiveDependencies: a new line is what moves the view
  useEffect(() => {
    if (isFollowing) scroller.current?.scrollTo({ top: scroller.current.scrollHeight })
  }, [lines, isFollowing])

  const toggle = (sequence: number) => {
    setFollowing(false)
    setOpened((before) => {
      const after = new Set(before)
      if (!after.delete(sequence)) after.add(sequence)
      return after
    })
  }
  // Growing content moves the end away without anybody scrolling: only a move upwards is a wish to stay.
  const onScroll = () => {
    const at = scroller.current
    if (!at) return
    if (at.scrollHeight - at.scrollTop - at.clientHeight < 24) setFollowing(true)
    else if (at.scrollTop < lastTop.current - 4) setFollowing(false)
    lastTop.current = at.scrollTop
  }

  return (
    <section className="score" aria-label="Score">
      <div className="lanes-head" aria-hidden="true">
        <span />
        <span>Person</span>
        <span>Host · this page</span>
        <span>Server</span>
        <span>Upstream</span>
      </div>
      {/* biome-ignore lint/a11y/noNoninteractiveTabindex: a region that scrolls has to be reachable by keyboard */}
      <div className="lanes" ref={scroller} onScroll={onScroll} tabIndex={0} role="log" aria-label="What happened">
        {lines.length > mostLines && <p className="cut">{lines.length - mostLines} earlier lines are not shown.</p>}
        {shown.map((line) => (
          <ScoreLine
            key={line.sequence}
            line={line}
            firstAt={firstAt}
            name={names?.[line.target]}
            isOpen={opened.has(line.sequence)}
            onToggle={() => toggle(line.sequence)}
          />
        ))}
        <div className="lanes-tail" aria-hidden="true">
          <span className="lane person" />
          <span className="lane host" />
          <span className="lane server" />
          <span className="lane upstream" />
        </div>
      </div>
      {!isFollowing && (
        <button type="button" className="to-newest" onClick={() => setFollowing(true)}>
          To the newest ↓
        </button>
      )}
    </section>
  )
}
