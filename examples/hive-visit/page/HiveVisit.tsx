import { useView } from 'jexo/view/react'
import { useState } from 'react'
import type { HiveOverview } from '../visit-book.ts'
import { HiveCards } from './HiveCards.tsx'
import { HiveMap } from './HiveMap.tsx'
import { Visits } from './Visits.tsx'

/** The whole page: choose a hive on the map or by its card, view its visits, and record a new one. */
export function HiveVisit() {
  const { host, input, partialInput, result, cancelled, error } = useView<
    { site?: string },
    { hives: HiveOverview[] }
  >({ name: 'hive-visit', version: '1.0.0' })
  const [chosen, setChosen] = useState<string>()
  if (error) return <p role="alert">{error.message}</p>
  if (cancelled !== undefined) return <p>The call was cancelled: {cancelled}.</p>
  const hives = result?.structuredContent?.hives
  if (!hives) {
    const site = input?.site ?? partialInput?.site
    return <p aria-live="polite">Looking up the hives{site ? ` of ${site}` : ''} …</p>
  }
  const hive = hives.find((one) => one.hive === chosen)
  return (
    <>
      <h1>Which hive do you visit?</h1>
      <div className="choose">
        <HiveMap hives={hives} chosen={chosen} onChoose={setChosen} />
        <HiveCards hives={hives} chosen={chosen} onChoose={setChosen} host={host} />
      </div>
      {hive && host ? <Visits key={hive.hive} hive={hive} host={host} /> : <p className="soft">Choose a hive.</p>}
    </>
  )
}
