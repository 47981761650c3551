import type { ViewHost } from 'jexo/view'
import { type FormEvent, useState } from 'react'
import type { Visit } from '../visit-book.ts'

interface Props<In, Out> {
  hive: string
  host: ViewHost<In, Out>
  onRecorded: () => void
}

/** The user fills in a visit, reviews it and confirms it. The model is told only then. */
export function RecordForm<In, Out>({ hive, host, onRecorded }: Props<In, Out>) {
  const [draft, setDraft] = useState<Visit>()
  const [said, setSaid] = useState<string>()
  const [problem, setProblem] = useState<string>()
  const [isBusy, setBusy] = useState(false)

  const review = (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault()
    const fields = new FormData(event.currentTarget)
    setSaid(undefined)
    setDraft({
      on: String(fields.get('on')),
      framesOfBees: Number(fields.get('framesOfBees')),
      framesOfBrood: Number(fields.get('framesOfBrood')),
      queenSeen: fields.get('queenSeen') !== null,
      note: String(fields.get('note')),
    })
  }
  const record = async (visit: Visit) => {
    setBusy(true)
    setProblem(undefined)
    try {
      const { isError, content } = await host.call('record_hive_visit', { hive, ...visit })
      const [block] = content
      if (isError) throw new Error(block?.type === 'text' ? block.text : 'The visit was not recorded.')
      setSaid(`The visit to ${hive} on ${visit.on} is recorded.`)
      setDraft(undefined)
      onRecorded()
      await host.tellModel(
        `The keeper recorded a visit to ${hive} on ${visit.on}: ${visit.framesOfBees} frames of bees, ${visit.framesOfBrood} of brood, queen ${visit.queenSeen ? 'seen' : 'not seen'}.`,
      )
    } catch (error) {
      setProblem((error as Error).message)
    } finally {
      setBusy(false)
    }
  }

  const ask = () => {
    setProblem(undefined)
    host.say(`I have visited ${hive}. When is it due again?`).catch((error: Error) => setProblem(error.message))
  }

  return (
    <>
      <h2>Record a visit</h2>
      {draft ? (
        <fieldset aria-label="Confirm the visit" className="confirm">
          <p>
            Record for {hive} on {draft.on}: {draft.framesOfBees} frames of bees, {draft.framesOfBrood} of brood,
            queen {draft.queenSeen ? 'seen' : 'not seen'}
            {draft.note && `, “${draft.note}”`}?
          </p>
          <button type="button" className="main" disabled={isBusy} onClick={() => record(draft)}>
            Record it
          </button>
          <button type="button" disabled={isBusy} onClick={() => setDraft(undefined)}>
            Change it
          </button>
        </fieldset>
      ) : (
        <form onSubmit={review}>
          <label>
            Day <input type="date" name="on" required defaultValue="2026-06-02" />
          </label>
          <label>
            Frames of bees <input type="number" name="framesOfBees" min={0} max={24} required defaultValue={8} />
          </label>
          <label>
            Frames of brood <input type="number" name="framesOfBrood" min={0} max={24} required defaultValue={5} />
          </label>
          <label className="tick">
            <input type="checkbox" name="queenSeen" /> Queen seen
          </label>
          <label className="wide">
            Note <input name="note" maxLength={200} />
          </label>
          <button type="submit" className="main">
            Review
          </button>
        </form>
      )}
      {problem !== undefined && <p role="alert">{problem}</p>}
      {said !== undefined && (
        <p role="status">
          {said}{' '}
          {host.capabilities.message && (
            <button type="button" onClick={ask}>
              Ask when it is due again
            </button>
          )}
        </p>
      )}
    </>
  )
}
