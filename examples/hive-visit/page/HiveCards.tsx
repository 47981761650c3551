import type { ViewHost } from 'jexo/view'
import { useEffect, useState } from 'react'
import type { HiveOverview } from '../visit-book.ts'

interface Props<In, Out> {
  hives: readonly HiveOverview[]
  chosen: string | undefined
  onChoose: (hive: string) => void
  host: ViewHost<In, Out> | undefined
}

export function HiveCards<In, Out>({ hives, chosen, onChoose, host }: Props<In, Out>) {
  return (
    <ul className="cards" aria-label="Hives">
      {hives.map(({ hive, keeper, lastVisit, queenYear, strength }) => (
        <li key={hive}>
          <button type="button" aria-pressed={hive === chosen} onClick={() => onChoose(hive)}>
            <Drawing hive={hive} host={host} />
            <b>{hive}</b>
            <span>
              {keeper}, queen of {queenYear}
            </span>
            <span>visited {lastVisit}</span>
            <meter min={0} max={100} value={strength} aria-label={`Strength ${strength} of 100`} />
          </button>
        </li>
      ))}
    </ul>
  )
}

/** Pictures are resources of the server that the page reads. */
function Drawing<In, Out>({ hive, host }: { hive: string; host: ViewHost<In, Out> | undefined }) {
  const [source, setSource] = useState<string>()
  useEffect(() => {
    if (!host?.capabilities.serverResources) return
    host.read(`hive-drawing://${hive}`).then(
      ([drawing]) =>
        drawing?.text !== undefined && setSource(`data:image/svg+xml,${encodeURIComponent(drawing.text)}`),
      () => setSource(undefined),
    )
  }, [hive, host])
  return source === undefined ? <span className="drawing" /> : <img className="drawing" src={source} alt="" />
}
