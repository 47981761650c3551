import { Button, Progress } from '@mantine/core'
import { useEffect, useState } from 'react'
import type { Line } from '../../../src/score/line.js'
import { duration } from '../score/times'

interface Props {
  target: string
  lines: readonly Line[]
  /** When it was sent, in milliseconds since 1970. */
  since: number
  onCancel: () => void
}

/** A running request: its progress, its duration, and a button that cancels it. */
export function Running({ target, lines, since, onCancel }: Props) {
  const [now, setNow] = useState(since)
  useEffect(() => {
    const timer = setInterval(() => setNow(performance.timeOrigin + performance.now()), 200)
    return () => clearInterval(timer)
  }, [])
  const mark = newestMark(lines, target, since)
  return (
    <div className="running" role="status">
      {mark?.share !== undefined && <Progress value={mark.share * 100} aria-label="Progress" mb="xs" />}
      <Button variant="default" size="compact-sm" onClick={onCancel}>
        Cancel
      </Button>
      <span>{mark ? mark.detail : 'Running'}</span>
      <small>{duration(Math.max(0, now - since))}</small>
    </div>
  )
}

function newestMark(lines: readonly Line[], target: string, since: number): Line | undefined {
  for (let at = lines.length - 1; at >= 0; at--) {
    const line = lines[at]
    if (!line || line.at < since) return undefined
    if (line.target === target && line.title === 'progress') return line
  }
  return undefined
}
