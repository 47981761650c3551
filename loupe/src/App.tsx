import { useHotkeys } from '@mantine/hooks'
import { lazy, Suspense, useDeferredValue, useEffect, useMemo, useState } from 'react'
import { useRoute } from './bench/route'
import { useBench } from './bench/useBench'
import { Desk } from './desk/Desk'
import { FilterBar } from './score/FilterBar'
import { filtered, noFilter } from './score/filter'
import { Score } from './score/Score'
import { Top } from './Top'

const loadPalette = () => import('./Palette')
const Palette = lazy(loadPalette)

export function App() {
  const known = useBench()
  const [route, go] = useRoute()
  const [filter, setFilter] = useState(noFilter)
  const [clearedAt, setClearedAt] = useState(0)
  const [isPaletteOpen, setPaletteOpen] = useState(false)
  // Loaded before the user types the first letter.
  useEffect(() => {
    const timer = setTimeout(() => void loadPalette(), 1500)
    return () => clearTimeout(timer)
  }, [])
  useHotkeys([['mod+K', () => setPaletteOpen(true)]], [])

  const { lines, bench, names } = known
  const wanted = useDeferredValue(filter)
  const shown = useMemo(() => {
    const rest = clearedAt === 0 ? lines : lines.filter(({ sequence }) => sequence > clearedAt)
    return filtered(rest, wanted)
  }, [lines, clearedAt, wanted])
  const seen = useMemo(() => new Set(lines.map(({ target }) => target)), [lines])
  const isOne = new Set([...seen, ...bench.targets.map(({ id }) => id)]).size < 2

  return (
    <div className="loupe">
      <Top known={known} route={route} go={go} onPalette={() => setPaletteOpen(true)} />
      <main className="body">
        <section className="score" aria-label="Score">
          <FilterBar
            filter={filter}
            onFilter={setFilter}
            shown={shown.length}
            all={lines.length}
            targets={isOne ? [] : [...seen].map((id) => ({ value: id, label: names[id] ?? id }))}
            recordingTo={bench.recordingTo}
            onClear={() => setClearedAt(lines.at(-1)?.sequence ?? 0)}
          />
          <Score known={known} lines={shown} names={isOne ? undefined : names} wanted={route} />
        </section>
        <Desk known={known} route={route} go={go} />
      </main>
      {isPaletteOpen && (
        <Suspense>
          <Palette known={known} go={go} onClose={() => setPaletteOpen(false)} />
        </Suspense>
      )}
    </div>
  )
}
