import type { ViewHost } from 'jexo/view'
import { useEffect, useState } from 'react'
import type { HiveOverview, Visit } from '../visit-book.ts'
import { RecordForm } from './RecordForm.tsx'

interface Props<In, Out> {
  hive: HiveOverview
  host: ViewHost<In, Out>
}

/** The visits of the chosen hive between two dates, and the form for a new visit. */
export function Visits<In, Out>({ hive: { hive }, host }: Props<In, Out>) {
  const [from, setFrom] = useState('')
  const [to, setTo] = useState('')
  const [visits, setVisits] = useState<readonly Visit[]>()
  const [problem, setProblem] = useState<string>()
  const [count, setCount] = useState(0)
  // biome-ignore lint/correctness/useExhaustiveDependencies: a recorded visit is read again
  useEffect(() => {
    let isGone = false
    const args = { hive, ...(from ? { from } : {}), ...(to ? { to } : {}) }
    host
      .call<{ visits: Visit[] }>('list_hive_visits', args)
      .then(({ structuredContent, isError, content }) => {
        if (isGone) return
        setVisits(structuredContent?.visits)
        const [block] = content
        setProblem(isError ? (block?.type === 'text' ? block.text : 'The visits could not be listed.') : undefined)
      })
      .catch((error: Error) => !isGone && setProblem(error.message))
    return () => {
      isGone = true
    }
  }, [hive, from, to, host, count])

  return (
    <section aria-label={`Visits to ${hive}`}>
      <h2>Visits to {hive}</h2>
      <div className="dates">
        <label>
          From <input type="date" value={from} onChange={(event) => setFrom(event.target.value)} />
        </label>
        <label>
          To <input type="date" value={to} onChange={(event) => setTo(event.target.value)} />
        </label>
      </div>
      {problem !== undefined && <p role="alert">{problem}</p>}
      <table>
        <thead>
          <tr>
            <th scope="col">Day</th>
            <th scope="col">Bees</th>
            <th scope="col">Brood</th>
            <th scope="col">Queen</th>
            <th scope="col">Note</th>
          </tr>
        </thead>
        <tbody>
          {(visits ?? []).map(({ on, framesOfBees, framesOfBrood, queenSeen, note }) => (
            <tr key={on}>
              <td>{on}</td>
              <td>{framesOfBees}</td>
              <td>{framesOfBrood}</td>
              <td>{queenSeen ? 'seen' : 'not seen'}</td>
              <td>{note}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {visits?.length === 0 && <p className="soft">No visits between these dates.</p>}
      <RecordForm hive={hive} host={host} onRecorded={() => setCount((before) => before + 1)} />
    </section>
  )
}
