import type { Line } from '../../../src/score/line.js'

/** Which lines of a score are shown. */
export interface Filter {
  /** Words that must all occur in a line or its message. */
  text: string
  /** Id of a target; all if it is omitted. */
  target: string | undefined
  /** Kinds of lines to hide. */
  hidden: readonly Kind[]
  onlyFaults: boolean
}
export type Kind = 'housekeeping' | 'marks' | 'page' | 'upstream' | 'stderr'

export const noFilter: Filter = { text: '', target: undefined, hidden: [], onlyFaults: false }

export const kindLabels: Record<Kind, string> = {
  housekeeping: 'Housekeeping',
  marks: 'Progress, logs, layers',
  page: 'Pages of tools',
  upstream: 'Upstream',
  stderr: 'stderr',
}

/** The lines that pass a filter. */
export function filtered(lines: readonly Line[], filter: Filter): readonly Line[] {
  const words = filter.text.toLowerCase().split(/\s+/).filter(Boolean)
  if (words.length === 0 && filter.target === undefined && filter.hidden.length === 0 && !filter.onlyFaults)
    return lines
  const hidden = new Set(filter.hidden)
  return lines.filter((line) => {
    if (filter.target !== undefined && line.target !== filter.target) return false
    if (filter.onlyFaults && !line.isFault) return false
    const kind = kindOf(line)
    if (kind && hidden.has(kind)) return false
    if (words.length === 0) return true
    const text = textOf(line)
    return words.every((word) => text.includes(word))
  })
}

function kindOf(line: Line): Kind | undefined {
  if (line.isQuiet) return 'housekeeping'
  if (line.shape === 'mark') return 'marks'
  if (line.shape === 'page') return 'page'
  if (line.shape === 'upstream') return 'upstream'
  return line.shape === 'stderr' ? 'stderr' : undefined
}

const texts = new WeakMap<Line, string>()

/** All words of a line and its message, computed once, since every typed letter searches again. */
function textOf(line: Line): string {
  const known = texts.get(line)
  if (known !== undefined) return known
  const message =
    line.entry.kind === 'message' || line.entry.kind === 'page' ? JSON.stringify(line.entry.message) : ''
  const text = `${line.title} ${line.detail} ${message}`.toLowerCase()
  texts.set(line, text)
  return text
}
