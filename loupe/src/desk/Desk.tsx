import { TextInput } from '@mantine/core'
import { useHotkeys } from '@mantine/hooks'
import { lazy, Suspense, useEffect, useMemo, useRef, useState } from 'react'
import type { Route } from '../bench/route'
import type { Known } from '../bench/useBench'
import { allParts, type DeskPart, groupsOf } from './parts'

const PartDesk = lazy(async () => ({ default: (await import('./PartDesk')).PartDesk }))
const TargetDesk = lazy(() => import('../target/TargetDesk'))
const TapeDesk = lazy(() => import('../target/TapeDesk'))
const AddTarget = lazy(() => import('../target/AddTarget'))

interface Props {
  known: Known
  route: Route
  go: (route: Route) => void
}

/** The desk: find a part, fill in its arguments, send it, and read the result. */
export function Desk({ known, route, go }: Props) {
  const [search, setSearch] = useState('')
  const input = useRef<HTMLInputElement>(null)
  const { bench, catalogues, names } = known
  const parts = useMemo(() => allParts({ bench, catalogues, names }), [bench, catalogues, names])
  const isWanted = useRef(false)
  const back = () => {
    // Shown at once, or as soon as the address changes.
    isWanted.current = true
    input.current?.focus()
    go({ at: 'parts' })
  }
  useHotkeys([
    ['/', back],
    ['Escape', back],
  ])

  const part = route.at === 'part' ? parts.find(({ key }) => key === route.key) : undefined
  if (part) {
    return (
      <Suspense fallback={<aside className="desk" />}>
        <PartDesk key={part.key} part={part} known={known} onBack={back} />
      </Suspense>
    )
  }
  const target = route.at === 'target' ? bench.targets.find(({ id }) => id === route.id) : undefined
  if (target) {
    return (
      <Suspense fallback={<aside className="desk" />}>
        <TargetDesk key={target.id} target={target} catalogue={catalogues[target.id]} onBack={back} />
      </Suspense>
    )
  }
  const isNothing = known.isReady && bench.targets.length === 0 && bench.tapes.length === 0
  if (route.at === 'add' || isNothing) {
    return (
      <Suspense fallback={<aside className="desk" />}>
        <AddTarget onBack={isNothing ? undefined : back} onAdded={() => go({ at: 'parts' })} />
      </Suspense>
    )
  }
  if (bench.targets.length === 0 && bench.tapes.length > 0) {
    return (
      <Suspense fallback={<aside className="desk" />}>
        <TapeDesk known={known} />
      </Suspense>
    )
  }
  return <Catalogue {...{ known, go, parts, search, setSearch, input, isWanted }} />
}

interface CatalogueProps {
  known: Known
  go: Props['go']
  parts: readonly DeskPart[]
  search: string
  setSearch: (text: string) => void
  input: React.RefObject<HTMLInputElement | null>
  /** Restores the search when the user returns. */
  isWanted: React.RefObject<boolean>
}

function Catalogue({ known, go, parts, search, setSearch, input, isWanted }: CatalogueProps) {
  useEffect(() => {
    if (isWanted.current) input.current?.focus()
    isWanted.current = false
  }, [input, isWanted])
  const { targets } = known.bench
  const groups = useMemo(() => groupsOf(parts, search), [parts, search])
  const isRead =
    targets.length > 0 && targets.every(({ state, catalogueVersion }) => state === 'open' && catalogueVersion > 0)
  const cost = parts.reduce((sum, part) => sum + (part.cost ?? 0), 0)
  const choose = (part: DeskPart) => go({ at: 'part', key: part.key })
  return (
    <aside className="desk" aria-label="Parts">
      <div className="desk-search">
        <TextInput
          ref={input}
          aria-label="Find a part"
          placeholder="Find a tool, resource or prompt   /"
          value={search}
          onChange={(event) => setSearch(event.currentTarget.value)}
          onKeyDown={(event) => {
            const first = groups[0]?.parts[0]
            if (event.key === 'Enter' && first) choose(first)
          }}
        />
        {cost > 0 && (
          <p className="cost-all" title="Estimate, counted with a common tokenizer">
            All tools together: about {cost.toLocaleString('en')} tokens of context.
          </p>
        )}
      </div>
      <div className="desk-scroll">
        {isRead && groups.length === 0 && (
          <p>{search ? `No part matches “${search}”.` : 'This server offers nothing.'}</p>
        )}
        {groups.map((group) => (
          <section key={group.label} aria-label={group.label}>
            <h2 className="group">
              {group.label} · {group.parts.length}
            </h2>
            {group.parts.map((item) => (
              <PartButton key={item.key} part={item} onChoose={choose} isNamed={targets.length > 1} />
            ))}
          </section>
        ))}
      </div>
    </aside>
  )
}

interface ButtonProps {
  part: DeskPart
  onChoose: (part: DeskPart) => void
  isNamed: boolean
}

function PartButton({ part, onChoose, isNamed }: ButtonProps) {
  const about = part.about || 'No description: models will not know when to use it.'
  return (
    <button
      type="button"
      className="part"
      data-effect={part.kind === 'tool' ? part.effect : undefined}
      data-mark={part.mark?.mark}
      onClick={() => onChoose(part)}
    >
      <b>
        {part.title}
        {part.mark && (
          <em className="mark" data-mark={part.mark.mark} title={part.mark.fields.join(', ')}>
            {part.mark.mark}
          </em>
        )}
        {part.findings.length > 0 && (
          <em className="mark" data-mark="vet" title={part.findings.map(({ problem: what }) => what).join('; ')}>
            {part.findings.length === 1 ? '1 finding' : `${part.findings.length} findings`}
          </em>
        )}
        {part.cost !== undefined && <small title="Estimated tokens of context">{part.cost}</small>}
      </b>
      <span>{isNamed ? `${part.targetName}: ${about}` : about}</span>
    </button>
  )
}
