import type { HiveOverview } from '../visit-book.ts'

interface Props {
  hives: readonly HiveOverview[]
  chosen: string | undefined
  onChoose: (hive: string) => void
}

/** A drawn map of the three sites; the page loads no map data. */
export function HiveMap({ hives, chosen, onChoose }: Props) {
  const sites = [...new Set(hives.map(({ site }) => site))]
  return (
    <fieldset className="map" aria-label="Map of the hives">
      <svg viewBox="0 0 100 100" preserveAspectRatio="none" aria-hidden="true">
        <path className="water" d="M-5 84C20 70 30 96 54 84s30-4 52-14v40H-5z" />
        <path className="lane" d="M0 50C24 44 36 56 52 48s30-18 52-12" />
        <circle className="wood" cx="92" cy="14" r="9" />
        <circle className="wood" cx="81" cy="7" r="6" />
      </svg>
      {sites.map((site) => {
        const first = hives.find((one) => one.site === site)
        return (
          <span key={site} className="site" style={placeOf(first)}>
            {site}
          </span>
        )
      })}
      {hives.map(({ hive, place }) => (
        <button
          key={hive}
          type="button"
          aria-pressed={hive === chosen}
          aria-label={`${hive} on the map`}
          style={{ left: `${place.x}%`, top: `${place.y}%` }}
          onClick={() => onChoose(hive)}
        >
          {hive.slice(3)}
        </button>
      ))}
    </fieldset>
  )
}

/** Positioned above the hives of a site, inside the map. */
const placeOf = (first: HiveOverview | undefined) => {
  const { x, y } = first?.place ?? { x: 0, y: 12 }
  return { top: `${y - 12}%`, ...(x > 60 ? { right: '4%' } : { left: `${x}%` }) }
}
