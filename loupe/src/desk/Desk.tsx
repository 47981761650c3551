import { TextInput } from '@mantine/core'
import { useHotkeys } from '@mantine/hooks'
import { useRef, useState } from 'react'
import type { TargetView } from '../api'
import { PartDesk } from './PartDesk'
import { type DeskPart, groupsOf } from './parts'

/** The desk: find a part, fill it, send it, read the answer. */
export function Desk({ targets }: { targets: readonly TargetView[] }) {
  const [search, setSearch] = useState('')
  const [chosen, setChosen] = useState<string>()
  const input = useRef<HTMLInputElement>(null)
  const back = () => {
    setChosen(undefined)
    setTimeout(() => input.current?.focus())
  }
  useHotkeys([
    ['/', back],
    ['Escape', back],
  ])

  const part = groupsOf(targets, '')
    .flatMap((group) => group.parts)
    .find((known) => known.key === chosen)
  if (part) return <PartDesk key={part.key} part={part} onBack={back} />
  const groups = groupsOf(targets, search)
  const isEmpty = targets.length > 0 && targets.every((target) => target.state === 'open') && groups.length === 0
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
            if (event.key === 'Enter' && first) setChosen(first.key)
          }}
        />
      </div>
      <div className="desk-scroll">
        {isEmpty && <p>{search ? `Nothing is called like “${search}”.` : 'This server offers nothing.'}</p>}
        {groups.map((group) => (
          <section key={group.label} aria-label={group.label}>
            <h2 className="group">
              {group.label} · {group.parts.length}
            </h2>
            {group.parts.map((item) => (
              <PartButton
                key={item.key}
                part={item}
                onChoose={() => setChosen(item.key)}
                isNamed={targets.length > 1}
              />
            ))}
          </section>
        ))}
      </div>
    </aside>
  )
}

function PartButton({ part, onChoose, isNamed }: { part: DeskPart; onChoose: () => void; isNamed: boolean }) {
  return (
    <button
      type="button"
      className="part"
      data-effect={part.kind === 'tool' ? part.effect : undefined}
      onClick={onChoose}
    >
      <b>{part.title}</b>
      <span>
        {isNamed
          ? `${part.targetName}: ${part.about}`
          : part.about || 'No description: a model will not know when to use it.'}
      </span>
    </button>
  )
}
