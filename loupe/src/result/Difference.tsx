import { diffLines } from 'diff'
import { useEffect, useState } from 'react'
import { entryOf } from '../api'

interface Props {
  /** Sequence numbers of two results. */
  before: number
  after: number
}
interface Piece {
  id: number
  text: string
  kind: 'same' | 'new' | 'gone'
}

const mostCharacters = 400_000
const mostSameLines = 6

/** Compares two results of the same call line by line. */
export default function Difference({ before, after }: Props) {
  const [pieces, setPieces] = useState<Piece[] | string>()
  useEffect(() => {
    let isWanted = true
    Promise.all([textOf(before), textOf(after)]).then(
      ([old, now]) => isWanted && setPieces(compare(old, now)),
      () => isWanted && setPieces('The previous result is no longer in memory.'),
    )
    return () => {
      isWanted = false
    }
  }, [before, after])
  if (pieces === undefined) return <p>Comparing…</p>
  if (typeof pieces === 'string') return <p>{pieces}</p>
  return (
    <section className="json" aria-label="Compared with the previous result">
      {/* biome-ignore lint/a11y/noNoninteractiveTabindex: a region that scrolls has to be reachable by keyboard */}
      <pre tabIndex={0}>
        {pieces.map(({ id, text, kind }) => (
          <span key={id} className={`diff-${kind}`}>
            {text}
          </span>
        ))}
      </pre>
    </section>
  )
}

async function textOf(sequence: number): Promise<string> {
  const entry = await entryOf(sequence)
  const message = entry.kind === 'message' ? (entry.message as { result?: unknown; error?: unknown }) : {}
  return `${JSON.stringify(message.result ?? message.error, null, 2)}\n`
}

function compare(old: string, now: string): Piece[] | string {
  if (old === now) return 'Identical to the previous result.'
  if (old.length + now.length > mostCharacters)
    return `The result differs from the previous one: ${old.length.toLocaleString('en')} characters then, ${now.length.toLocaleString('en')} now; too long to compare line by line.`
  return diffLines(old, now).map(({ value, added, removed }, id) => {
    const kind = added ? 'new' : removed ? 'gone' : 'same'
    const mark = added ? '+ ' : removed ? '− ' : '  '
    const lines = value.replace(/\n$/, '').split('\n')
    return {
      id,
      kind,
      text: `${shortened(lines, kind)
        .map((line) => mark + line)
        .join('\n')}\n`,
    }
  })
}

/** Only a few lines around each change are shown. */
function shortened(lines: string[], kind: Piece['kind']): string[] {
  if (kind !== 'same' || lines.length <= mostSameLines * 2) return lines
  const left = lines.length - mostSameLines
  return [...lines.slice(0, mostSameLines / 2), `… ${left} lines as before`, ...lines.slice(-mostSameLines / 2)]
}
